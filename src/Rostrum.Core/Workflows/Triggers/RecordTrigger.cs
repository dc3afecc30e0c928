using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Triggers;

/// <summary>A record is saved: added, changed or deleted, by whichever way.</summary>
public abstract record RecordTrigger : Trigger
{
    /// <summary>What happens to a record, as <c>trigger.kind</c> says it.</summary>
    public static ImmutableArray<string> Kinds { get; } = ["added", "changed", "deleted"];

    /// <summary>The dataset.</summary>
    public DatasetId? Dataset { get; init; }

    /// <summary>A record is added.</summary>
    public bool Added { get; init; } = true;

    /// <summary>A record is changed.</summary>
    public bool Changed { get; init; } = true;

    /// <summary>A record is deleted.</summary>
    public bool Deleted { get; init; }

    /// <summary>Of a change only those matter that touch one of these fields; any change where none is named.</summary>
    public ImmutableArray<FieldName> Fields { get; init; } = [];

    /// <summary>A formula over <c>trigger</c> that must hold; none where blank.</summary>
    public string Condition { get; init; } = "";

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <summary>Whether it hears of a change of one record.</summary>
    public bool Hears(Change change)
    {
        ArgumentNullException.ThrowIfNull(change);
        return change switch
        {
            Change.Insert or Change.Restore => Added,
            Change.Delete => Deleted,
            Change.Update update => Changed
                && (
                    Fields.IsEmpty
                    || Fields.Any(field =>
                        update.Values.Has(field)
                        && !(update.Original.Has(field) && FieldText.SameValue(update.Original[field], update.Values[field]))
                    )
                ),
            _ => false,
        };
    }

    /// <summary>The word of what happens to a record.</summary>
    public static string Word(Change change) =>
        change switch
        {
            Change.Update => "changed",
            Change.Delete => "deleted",
            _ => "added",
        };

    /// <inheritdoc/>
    public override IEnumerable<KeyValuePair<string, FormulaType>> Members(WorkflowTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        if (types.ValuesOf(Dataset) is { } values)
        {
            yield return new("before", values);
            yield return new("after", values);
        }

        yield return new("kind", new FormulaType.Choice(Kinds) { IsClosed = true });
        yield return new("person", new FormulaType.Text());
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking(WorkflowTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        if (Dataset is null)
        {
            yield return "Choose the dataset whose records it is about.";
        }
        else if (types.Members.Dataset(Dataset) is not { GoneBecause: null })
        {
            yield return "The dataset of its trigger is no longer there.";
        }

        if (!Added && !Changed && !Deleted)
        {
            yield return "It is never set off: choose whether records are added, changed or deleted.";
        }
    }

    /// <summary>What happens to which records, in words.</summary>
    private protected string Happens(DatasetCatalogue datasets)
    {
        var words = new[] { (Added, "added"), (Changed, "changed"), (Deleted, "deleted") }
            .Where(pair => pair.Item1)
            .Select(pair => pair.Item2)
            .ToArray();
        var record = Dataset is { } id && datasets.Find(id) is { } dataset ? dataset.RecordLabel : "record";
        var article = record.Length > 0 && "aeiou".Contains(record[0], StringComparison.OrdinalIgnoreCase) ? "an" : "a";
        return $"{article} {record} is {(words.Length == 0 ? "never saved" : string.Join(" or ", words))}";
    }

    /// <summary>The settings that all of them have.</summary>
    private protected static ImmutableArray<Setting> RecordSettings { get; } =
    [
        SettingsOf<RecordTrigger>.Dataset(
            "Dataset",
            trigger => trigger.Dataset,
            (trigger, id) => trigger with { Dataset = id, Fields = [], Condition = "" }
        ),
        SettingsOf<RecordTrigger>.Toggle(
            "added",
            "Added",
            SettingPart.Content,
            trigger => trigger.Added,
            (trigger, on) => trigger with { Added = on }
        ),
        SettingsOf<RecordTrigger>.Toggle(
            "changed",
            "Changed",
            SettingPart.Content,
            trigger => trigger.Changed,
            (trigger, on) => trigger with { Changed = on }
        ),
        SettingsOf<RecordTrigger>.Toggle(
            "deleted",
            "Deleted",
            SettingPart.Content,
            trigger => trigger.Deleted,
            (trigger, on) => trigger with { Deleted = on }
        ),
        Setting
            .Of<RecordTrigger>(
                "fields",
                "Fields that must have changed",
                SettingPart.Content,
                new SettingKind.Fields(),
                trigger => Setting.Joined(trigger.Fields),
                (trigger, text) => trigger with { Fields = Setting.FieldNames(text) }
            )
            .Where<RecordTrigger>(trigger => trigger is { Changed: true, Dataset: not null }),
        Setting.Of<RecordTrigger>(
            "condition",
            "Condition",
            SettingPart.Content,
            new SettingKind.Formula(new FormulaType.Boolean()),
            trigger => trigger.Condition,
            (trigger, text) => trigger with { Condition = text.Trim() }
        ) with
        {
            Help = "Such as trigger.after.severity = \"critical\". Blank: always.",
        },
    ];
}

/// <summary>Before a record is saved: the workflow may stop the save, or amend its values.</summary>
public sealed record BeforeSave : RecordTrigger, ITriggerKind
{
    /// <summary>How long a save waits for it where nothing else is said, in milliseconds.</summary>
    public const int UsualLimit = 2_000;

    /// <summary>How long a save waits for it, in milliseconds.</summary>
    public int Limit { get; init; } = UsualLimit;

    /// <summary>What cannot be checked in time is saved; otherwise it is refused.</summary>
    public bool SavesWhenLate { get; init; }

    /// <inheritdoc/>
    public override bool IsWithinSave => true;

    /// <inheritdoc/>
    public override string Says(DatasetCatalogue datasets) => $"Before {Happens(datasets)}";

    /// <inheritdoc/>
    public static new TriggerKind Kind { get; } =
        new(
            "Before a record is saved",
            "shield-check",
            "A guard: it may stop the save with a message, or amend what is saved.",
            () => new BeforeSave(),
            [
                .. RecordSettings,
                SettingsOf<BeforeSave>.Number(
                    "limit",
                    "Time limit (milliseconds)",
                    SettingPart.Behaviour,
                    100,
                    30_000,
                    trigger => trigger.Limit,
                    (trigger, limit) => trigger with { Limit = limit }
                ),
                SettingsOf<BeforeSave>.Toggle(
                    "savesWhenLate",
                    "Save when it takes too long",
                    SettingPart.Behaviour,
                    trigger => trigger.SavesWhenLate,
                    (trigger, on) => trigger with { SavesWhenLate = on }
                ),
            ]
        );
}

/// <summary>After a record was saved.</summary>
public sealed record AfterSave : RecordTrigger, ITriggerKind
{
    /// <inheritdoc/>
    public override string Says(DatasetCatalogue datasets) => $"After {Happens(datasets)}";

    /// <inheritdoc/>
    public override IEnumerable<KeyValuePair<string, FormulaType>> Members(WorkflowTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Members.Record(Dataset) is { } record
            ? base.Members(types).Prepend(new KeyValuePair<string, FormulaType>("record", record))
            : base.Members(types);
    }

    /// <inheritdoc/>
    public static new TriggerKind Kind { get; } =
        new(
            "After a record is saved",
            "lightning",
            "A reaction: it runs in the background, with the old and the new values.",
            () => new AfterSave(),
            RecordSettings
        );
}
