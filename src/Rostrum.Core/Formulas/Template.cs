using System.Collections.Immutable;
using System.Runtime.CompilerServices;
using System.Text;

namespace Rostrum.Core.Formulas;

/// <summary>A text with formulas in it: <c>${ formula }</c>. A literal <c>${</c> is written <c>$${</c>.</summary>
/// <param name="Parts">Text and formulas, in order.</param>
public sealed record Template(ImmutableArray<TemplatePart> Parts)
{
    private static readonly ConditionalWeakTable<string, Template> Kept = [];

    /// <summary>
    /// Takes a text apart. A formula that does not end is a problem of that formula. What comes of it is kept for as long as the text is: a
    /// setting of a version is read for each page.
    /// </summary>
    public static Template Parse(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return Kept.GetValue(text, Read);
    }

    private static Template Read(string text)
    {
        var parts = ImmutableArray.CreateBuilder<TemplatePart>();
        var literal = new StringBuilder();
        var at = 0;
        while (at < text.Length)
        {
            if (text.AsSpan(at).StartsWith("$${", StringComparison.Ordinal))
            {
                literal.Append("${");
                at += 3;
            }
            else if (text.AsSpan(at).StartsWith("${", StringComparison.Ordinal))
            {
                if (literal.Length > 0)
                {
                    parts.Add(new TemplatePart.Literal(literal.ToString()));
                    literal.Clear();
                }

                var end = End(text, at + 2);
                var formula = Parser.Parse(text[(at + 2)..Math.Min(end, text.Length)]);
                parts.Add(
                    new TemplatePart.Formula(
                        at,
                        end < text.Length
                            ? formula
                            : formula with
                            {
                                Problems = formula.Problems.Add(
                                    new FormulaProblem(new Span(0, formula.Text.Length), "This formula is not closed with }.")
                                ),
                            }
                    )
                );
                at = end + 1;
            }
            else
            {
                literal.Append(text[at++]);
            }
        }

        if (literal.Length > 0)
        {
            parts.Add(new TemplatePart.Literal(literal.ToString()));
        }

        return new Template(parts.ToImmutable());
    }

    // The closing brace; those within quotes close nothing.
    private static int End(string text, int at)
    {
        var quote = '\0';
        for (; at < text.Length; at++)
        {
            if (quote != '\0')
            {
                quote = text[at] == quote ? '\0' : quote;
            }
            else if (text[at] is '"' or '\'')
            {
                quote = text[at];
            }
            else if (text[at] == '}')
            {
                return at;
            }
        }

        return text.Length;
    }
}

/// <summary>A stretch of a template.</summary>
public abstract record TemplatePart
{
    private TemplatePart() { }

    /// <summary>Text as it is.</summary>
    public sealed record Literal(string Text) : TemplatePart;

    /// <summary>A formula, and where in the template it begins.</summary>
    public sealed record Formula(int Start, ParsedFormula Parsed) : TemplatePart;
}
