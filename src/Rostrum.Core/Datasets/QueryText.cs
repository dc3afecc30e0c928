namespace Rostrum.Core.Datasets;

/// <summary>Looks over the text of a query as far as that can be done without its database.</summary>
public static class QueryText
{
    /// <summary>What is wrong with a text that should be one statement that reads; null where nothing is seen.</summary>
    public static string? Problem(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        var (depth, ended) = (0, false);
        for (var at = 0; at < text.Length; at++)
        {
            var after = Skipped(text, at);
            if (after > at)
            {
                at = after - 1;
                continue;
            }

            switch (text[at])
            {
                case ';':
                    ended = true;
                    break;
                case '(':
                    depth++;
                    break;
                case ')' when --depth < 0:
                    return "A bracket is closed that was not opened.";
                default:
                    if (ended && !char.IsWhiteSpace(text[at]))
                    {
                        return "There are two statements: a query is one that reads.";
                    }

                    break;
            }
        }

        return depth > 0 ? "A bracket is not closed."
            : FirstWord(text) is "SELECT" or "WITH" or "VALUES" or "TABLE" ? null
            : "A query begins with SELECT or WITH.";
    }

    /// <summary>The text without the semicolon that ends it, and without what follows that.</summary>
    public static string Trimmed(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        for (var at = 0; at < text.Length; at++)
        {
            var after = Skipped(text, at);
            if (after > at)
            {
                at = after - 1;
            }
            else if (text[at] == ';')
            {
                return text[..at];
            }
        }

        return text;
    }

    private static string FirstWord(string text)
    {
        var at = 0;
        while (at < text.Length)
        {
            var after = Skipped(text, at);
            if (after > at && text[at] is '-' or '/')
            {
                at = after;
            }
            else if (char.IsWhiteSpace(text[at]) || text[at] == '(')
            {
                at++;
            }
            else
            {
                break;
            }
        }

        var end = at;
        while (end < text.Length && char.IsAsciiLetter(text[end]))
        {
            end++;
        }

        return text[at..end].ToUpperInvariant();
    }

    // Behind a text in quotes, a comment, or a formula; the place itself where none begins there.
    private static int Skipped(string text, int at)
    {
        int Behind(string end, int from) =>
            text.IndexOf(end, from, StringComparison.Ordinal) is >= 0 and var found ? found + end.Length : text.Length;
        return text[at] switch
        {
            '\'' or '"' or '`' => Behind(text[at].ToString(), at + 1),
            '-' when at + 1 < text.Length && text[at + 1] == '-' => Behind("\n", at),
            '/' when at + 1 < text.Length && text[at + 1] == '*' => Behind("*/", at + 2),
            '$' when at + 1 < text.Length && text[at + 1] == '{' => Behind("}", at),
            '$'
                when at + 1 < text.Length
                    && text.IndexOf('$', at + 1) is > 0 and var tag
                    && text[(at + 1)..tag].All(letter => char.IsAsciiLetterOrDigit(letter) || letter == '_') => Behind(
                text[at..(tag + 1)],
                tag + 1
            ),
            _ => at,
        };
    }
}
