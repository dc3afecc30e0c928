using System.Collections.Immutable;
using System.Text;

namespace Rostrum.Core.Imports;

/// <summary>How the text of a table in a file is to be read.</summary>
/// <param name="Encoding">The name of its encoding, as IANA has it.</param>
/// <param name="Delimiter">What stands between two cells.</param>
public sealed record TextForm(string Encoding, char Delimiter)
{
    /// <summary>The encodings to choose from.</summary>
    public static ImmutableArray<(string Name, string Label)> Encodings { get; } =
    [("utf-8", "UTF-8"), ("windows-1252", "Western (Windows-1252)"), ("utf-16", "UTF-16"), ("utf-16BE", "UTF-16, big-endian")];

    /// <summary>The delimiters to choose from.</summary>
    public static ImmutableArray<(char Delimiter, string Label)> Delimiters { get; } =
    [(',', "Comma"), (';', "Semicolon"), ('\t', "Tab"), ('|', "Vertical bar")];

    /// <summary>
    /// The encoding of a file by its first bytes: what its byte order mark says, UTF-8 where they are sound UTF-8 (RFC 3629), else
    /// Windows-1252.
    /// </summary>
    /// <param name="start">The first bytes; a character that is cut off at their end is no fault.</param>
    public static string EncodingOf(ReadOnlySpan<byte> start)
    {
        if (start.StartsWith(new byte[] { 0xFF, 0xFE }))
        {
            return "utf-16";
        }

        if (start.StartsWith(new byte[] { 0xFE, 0xFF }))
        {
            return "utf-16BE";
        }

        var whole = start;
        while (!whole.IsEmpty && start.Length - whole.Length < 4 && !System.Text.Unicode.Utf8.IsValid(whole))
        {
            whole = whole[..^1];
        }

        return System.Text.Unicode.Utf8.IsValid(whole) ? "utf-8" : "windows-1252";
    }

    /// <summary>The delimiter that parts most lines of a text into the same number of cells; a comma where none parts them.</summary>
    /// <param name="start">The first lines.</param>
    public static char DelimiterOf(string start)
    {
        ArgumentNullException.ThrowIfNull(start);
        return Delimiters
            .Select(known => (known.Delimiter, Counts: Counts(start, known.Delimiter)))
            .Where(known => known.Counts.Length > 0)
            .Select(known => (known.Delimiter, Best: known.Counts.GroupBy(count => count).MaxBy(group => (group.Count(), group.Key))!))
            .Where(known => known.Best.Key > 0)
            .OrderByDescending(known => known.Best.Count())
            .ThenByDescending(known => known.Best.Key)
            .Select(known => (char?)known.Delimiter)
            .FirstOrDefault()
            ?? ',';
    }

    // How often it stands in each line, outside quotes.
    private static ImmutableArray<int> Counts(string text, char delimiter)
    {
        var counts = ImmutableArray.CreateBuilder<int>();
        var (count, quoted, any) = (0, false, false);
        foreach (var letter in text)
        {
            if (letter == '"')
            {
                quoted = !quoted;
            }
            else if (letter == '\n' && !quoted)
            {
                if (any)
                {
                    counts.Add(count);
                }

                (count, any) = (0, false);
                continue;
            }
            else if (letter == delimiter && !quoted)
            {
                count++;
            }

            any |= !char.IsWhiteSpace(letter) || letter == delimiter;
        }

        // The last line may be cut off.
        if (counts.Count == 0 && any)
        {
            counts.Add(count);
        }

        return counts.ToImmutable();
    }
}
