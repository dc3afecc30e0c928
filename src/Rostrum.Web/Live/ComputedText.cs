using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Live;

/// <summary>What formulas give, as people read it and as fields take it: the same on pages and in workflows.</summary>
internal static class ComputedText
{
    /// <summary>A formula's value as people read it.</summary>
    public static string Shown(RecordFormat format, Typed tree, object? value) =>
        tree.Type is FormulaType.Choice choice && value is string option && choice.Options.IndexOf(option) is >= 0 and var index
            ? choice.Labels[index]
            : Excerpt.Of(format.Display(DatasetShapes.FieldTypeOf(tree.Type), value), Excerpt.Whole);

    /// <summary>A text whose gaps are filled with what their formulas give, as people read it.</summary>
    public static string Filled(string text, Func<string, string> shown) =>
        string.Concat(
            Template
                .Parse(text)
                .Parts.Select(part =>
                    part switch
                    {
                        TemplatePart.Formula formula => shown(formula.Parsed.Text),
                        TemplatePart.Literal literal => literal.Text,
                        _ => "",
                    }
                )
        );

    /// <summary>A value as a field of a dataset takes it: a constant as it is typed, or a formula's value.</summary>
    public static Parsed FieldValue(
        Dataset dataset,
        FieldName name,
        string text,
        TimeZoneInfo zone,
        Func<string, CheckedFormula> check,
        Func<CheckedFormula, object?> evaluate
    )
    {
        if (dataset.Find(name) is not { } field)
        {
            return new Parsed.Problem("The field is no longer there.");
        }

        if (!Computed.IsFormula(text))
        {
            return FieldText.FromInput(field.Type, text, zone);
        }

        var formula = check(text[1..]);
        if (formula.Tree is not { } tree)
        {
            return new Parsed.Problem(formula.Problems[0].Message);
        }

        return evaluate(formula) switch
        {
            null => new Parsed.Value(null),
            FormulaRecord { Identity: RecordKey { Values: [var key] } } when dataset.RelationOf(name) is not null => new Parsed.Value(key),
            var value => FieldDefault.FieldValue(field.Type, tree.Type, value, zone),
        };
    }
}
