using Rostrum.Core.Access;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>What came of a label and a formula: a dataset with the field, or what is wrong.</summary>
/// <param name="Dataset">The dataset with the field in its place; null where something is wrong.</param>
/// <param name="Field">The field; null likewise.</param>
/// <param name="Formula">The formula after checking, with its problems.</param>
/// <param name="Problem">What is wrong beside the formula's own problems: the label, a circle, a list in the place of a value.</param>
public sealed record MadeField(Dataset? Dataset, Field? Field, CheckedFormula Formula, string? Problem);

/// <summary>Makes computed fields of what a builder types.</summary>
public static class ComputedFieldMaking
{
    /// <summary>Adds a computed field to a dataset, or changes one.</summary>
    /// <param name="catalogue">The datasets that formulas may refer to.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="old">The field that is changed; null for a new one.</param>
    /// <param name="label">What people read.</param>
    /// <param name="formula">The formula, as text.</param>
    /// <param name="decimals">Digits after the point that people see of a number, 0 to 10; all where null.</param>
    public static MadeField Make(DatasetCatalogue catalogue, Dataset dataset, Field? old, string label, string formula, int? decimals)
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(label);
        ArgumentNullException.ThrowIfNull(formula);
        var name = old?.Name
            ?? Wording.FieldName(
                label.Length > 0 ? label : "value",
                dataset.Fields.Select(field => field.Name).Concat(dataset.Relations.Select(relation => relation.Name))
            );
        var field = new Field
        {
            Name = name,
            Column = "",
            NativeType = "",
            Label = label,
            Type = new FieldType.Text(),
            Formula = formula,
            Description = old?.Description,
            Hidden = old?.Hidden ?? false,
        };
        var changed = With(dataset, field);

        // Checked in its place, so that a circle is found.
        var shape = DatasetShapes
            .Of(new DatasetCatalogue(catalogue.All.Select(other => other.Id == dataset.Id ? changed : other)), Grants.ViewEverything)
            .Of(changed)
            .Shape;
        var checkedFormula = Checker.Check(Parser.Parse(formula), shape);
        var problem =
            label.Length == 0 ? "Give the field a label."
            : checkedFormula.Problems.IsEmpty
                ? shape.Computed(shape.IndexOf(name.Value))?.Problem is { } why ? $"This field cannot be computed: {why}"
                    : null
            : null;
        if (checkedFormula.Tree is not { } tree || problem is not null)
        {
            return new MadeField(null, null, checkedFormula, problem);
        }

        var made = field with { Type = TypeOf(tree, decimals) };
        return new MadeField(With(dataset, made), made, checkedFormula, null);
    }

    /// <summary>The dataset without a computed field.</summary>
    public static Dataset Without(Dataset dataset, Field field)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return dataset with { Fields = [.. dataset.Fields.Where(other => other.Name != field.Name)] };
    }

    private static Dataset With(Dataset dataset, Field field) =>
        dataset with
        {
            Fields = dataset.Find(field.Name) is { } old ? dataset.Fields.Replace(old, field) : dataset.Fields.Add(field),
        };

    // A quotient has more digits than anybody wants to see.
    private static FieldType TypeOf(Typed tree, int? decimals) =>
        tree.Type is FormulaType.Number
            ? new FieldType.Number(
                Scale: decimals is { } digits ? Math.Clamp(digits, 0, 10)
                : tree.Exactness is Exactness.Exact ? null
                : 2
            )
            : DatasetShapes.FieldTypeOf(tree.Type);
}
