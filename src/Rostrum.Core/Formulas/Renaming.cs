namespace Rostrum.Core.Formulas;

/// <summary>Rewrites formulas when what they refer to gets another name.</summary>
public static class Renaming
{
    /// <summary>The formula's text with every reference to a member replaced, and nothing else of it changed.</summary>
    /// <param name="formula">A formula that was checked with the old name.</param>
    /// <param name="shape">The shape whose member is renamed.</param>
    /// <param name="index">Where the member stands in it.</param>
    /// <param name="name">The new name.</param>
    public static string Rename(CheckedFormula formula, FormulaShape shape, int index, string name)
    {
        ArgumentNullException.ThrowIfNull(formula);
        var text = formula.Parsed.Text;
        foreach (
            var reference in formula
                .References.Where(reference => ReferenceEquals(reference.Shape, shape) && reference.Index == index)
                .OrderByDescending(reference => reference.Span.Start)
        )
        {
            text = string.Concat(
                text.AsSpan(0, reference.Span.Start),
                Formatter.Name(name),
                text.AsSpan(reference.Span.Start + reference.Span.Length)
            );
        }

        return text;
    }
}
