using System.Text;
using Rostrum.Store;

namespace Rostrum.Web.Imports;

/// <summary>Rows that somebody sends: in a file, or pasted.</summary>
/// <param name="Name">The file's name.</param>
/// <param name="Kind">What it is.</param>
/// <param name="Open">Opens it.</param>
internal sealed record SentRows(string Name, ImportKind Kind, Func<Stream> Open)
{
    private const int LongestName = 200;

    /// <summary>What was sent, or what is wrong with it.</summary>
    /// <param name="file">The file; none where it is blank.</param>
    /// <param name="pasted">What was pasted.</param>
    /// <param name="none">What is said where nothing was sent.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<(SentRows? Sent, string? Problem)> OfAsync(
        IFormFile? file,
        string pasted,
        string none,
        CancellationToken cancellation
    )
    {
        if (file is not { Length: > 0 })
        {
            return string.IsNullOrWhiteSpace(pasted)
                ? (null, none)
                : (new SentRows("Pasted rows", ImportKind.Text, () => new MemoryStream(Encoding.UTF8.GetBytes(pasted))), null);
        }

        if (file.Length > FileImports.LargestFile)
        {
            return (null, "The file is larger than 100 MB: part it.");
        }

        var name = Path.GetFileName(file.FileName);
        return (
            new SentRows(name.Length > LongestName ? name[..LongestName] : name, await KindAsync(file, cancellation), file.OpenReadStream),
            null
        );
    }

    // By what it begins with, whatever its name says.
    private static async Task<ImportKind> KindAsync(IFormFile file, CancellationToken cancellation)
    {
        await using var content = file.OpenReadStream();
        var start = new byte[512];
        var length = await content.ReadAtLeastAsync(start, start.Length, throwOnEndOfStream: false, cancellation);
        if (start.AsSpan(0, length).StartsWith("PK"u8))
        {
            return ImportKind.Workbook;
        }

        var text = Encoding.UTF8.GetString(start, 0, length).TrimStart('\uFEFF', ' ', '\t', '\r', '\n');
        return text is ['[' or '{', ..] ? ImportKind.Json : ImportKind.Text;
    }
}
