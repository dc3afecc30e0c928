using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Triggers;

/// <summary>Somebody saves what was typed into a table: the steps do it in the place of the save.</summary>
public sealed record InPlaceOfSave : Trigger, ITriggerKind
{
    /// <summary>The dataset whose records are typed into.</summary>
    public DatasetId? Dataset { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <summary>
    /// <c>changed</c> are records with the values that were typed, <c>original</c> the same in the same order as they were before,
    /// <c>inserted</c> those that are new, and <c>deleted</c> those that are marked.
    /// </summary>
    public override IEnumerable<KeyValuePair<string, FormulaType>> Members(WorkflowTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        if (types.RowOf(Dataset) is { } row && types.ValuesOf(Dataset) is { } values)
        {
            yield return new("changed", new FormulaType.List(row));
            yield return new("original", new FormulaType.List(row));
            yield return new("inserted", new FormulaType.List(values));
            yield return new("deleted", new FormulaType.List(row));
        }

        yield return new("person", new FormulaType.Text());
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking(WorkflowTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        if (Dataset is null)
        {
            yield return "Choose the dataset whose records are typed into.";
        }
        else if (types.Members.Dataset(Dataset) is not { GoneBecause: null })
        {
            yield return "The dataset of its trigger is no longer there.";
        }
    }

    /// <inheritdoc/>
    public override string Says(DatasetCatalogue datasets)
    {
        ArgumentNullException.ThrowIfNull(datasets);
        var records = Dataset is { } id && datasets.Find(id) is { } dataset ? dataset.LabelInSentence : "records";
        return $"In place of the save of a table of {records}";
    }

    /// <inheritdoc/>
    public static new TriggerKind Kind { get; } =
        new(
            "In place of a table’s save",
            "table",
            "A table that names it hands over what was typed: its steps save it.",
            () => new InPlaceOfSave(),
            [SettingsOf<InPlaceOfSave>.Dataset("Dataset", trigger => trigger.Dataset, (trigger, id) => trigger with { Dataset = id })]
        );
}
