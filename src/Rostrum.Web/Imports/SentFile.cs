using System.Text;
using Rostrum.Store;

namespace Rostrum.Web.Imports;

/// <summary>A file of rows that somebody sends.</summary>
internal static class SentFile
{
    /// <summary>What it is, by what it begins with, whatever its name says.</summary>
    public static async Task<ImportKind> KindAsync(IFormFile file, CancellationToken cancellation)
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
