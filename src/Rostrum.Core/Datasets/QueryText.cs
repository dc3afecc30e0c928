namespace Rostrum.Core.Datasets;

/// <summary>Looks over the text of a query as far as that can be done without its database.</summary>
public static class QueryText
{
    /// <summary>What is wrong with a text that should be one statement; null where nothing is seen.</summary>
    /// <param name="text">The text.</param>
    /// <param name="changes">It should change data; otherwise it should read.</param>
    public static string? Problem(string text, bool changes = false)
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
                        return changes ? "There are two statements: write one." : "There are two statements: a query is one that reads.";
                    }

                    break;
            }
        }

        return depth > 0 ? "A bracket is not closed."
            : changes ? ProblemOfChange(text)
            : FirstWord(text) is "SELECT" or "WITH" or "VALUES" or "TABLE" ? null
            : "A query begins with SELECT or WITH.";
    }

    private static string? ProblemOfChange(string text) =>
        FirstWord(text) switch
        {
            "UPDATE" or "DELETE" when !HasWord(text, "WHERE") => "It has no WHERE, so it would change every row. "
                + "If that is meant, write WHERE 1 = 1.",
            "INSERT" or "UPDATE" or "DELETE" or "MERGE" or "REPLACE" or "WITH" => null,
            _ => "A statement that changes data begins with INSERT, UPDATE, DELETE, MERGE or WITH.",
        };

    private static bool HasWord(string text, string word)
    {
        for (var at = 0; at < text.Length; at++)
        {
            var after = Skipped(text, at);
            if (after > at)
            {
                at = after - 1;
            }
            else if (char.IsAsciiLetter(text[at]))
            {
                var end = at;
                while (end < text.Length && (char.IsAsciiLetterOrDigit(text[end]) || text[end] == '_'))
                {
                    end++;
                }

                if (text.AsSpan(at, end - at).Equals(word, StringComparison.OrdinalIgnoreCase))
                {
                    return true;
                }

                at = end - 1;
            }
        }

        return false;
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
