using Markdig.Syntax;
using Markdig.Syntax.Inlines;

namespace Rostrum.Web.Notes;

/// <summary>People whose names stand in a text after an <c>@</c>.</summary>
internal static class Mentions
{
    private const char Sign = '@';

    /// <summary>Whether a text mentions somebody.</summary>
    public static bool Has(string text, string name) => Find(text, name, 0) >= 0;

    /// <summary>Sets names apart where they are mentioned.</summary>
    public static void Mark(MarkdownDocument document, IReadOnlyCollection<string> names)
    {
        foreach (var literal in document.Descendants<LiteralInline>().ToArray())
        {
            var (text, from) = (literal.Content.ToString(), 0);
            Inline last = literal;
            void Add(Inline next)
            {
                last.InsertAfter(next);
                last = next;
            }

            while (First(text, names, from) is { } found)
            {
                Add(new LiteralInline(text[from..found.At]));
                Add(new HtmlInline("<strong class=\"mention\">"));
                Add(new LiteralInline(text[found.At..found.End]));
                Add(new HtmlInline("</strong>"));
                from = found.End;
            }

            if (from > 0)
            {
                Add(new LiteralInline(text[from..]));
                literal.Remove();
            }
        }
    }

    private static (int At, int End)? First(string text, IReadOnlyCollection<string> names, int from) =>
        names
            .Select(name => (At: Find(text, name, from), name.Length))
            .Where(found => found.At >= 0)
            .OrderBy(found => found.At)
            .ThenByDescending(found => found.Length)
            .Select(found => ((int, int)?)(found.At, found.At + found.Length + 1))
            .FirstOrDefault();

    // A name ends where no letter or digit follows; an address of mail is no mention.
    private static int Find(string text, string name, int from)
    {
        for (
            var at = text.IndexOf(Sign + name, from, StringComparison.OrdinalIgnoreCase);
            at >= 0;
            at = text.IndexOf(Sign + name, at + 1, StringComparison.OrdinalIgnoreCase)
        )
        {
            var end = at + name.Length + 1;
            if ((at == 0 || !char.IsLetterOrDigit(text[at - 1])) && (end == text.Length || !char.IsLetterOrDigit(text[end])))
            {
                return at;
            }
        }

        return -1;
    }
}
