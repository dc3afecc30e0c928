using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>One record's fields, to be read.</summary>
public sealed record RecordPanel : Panel, IPanelKind
{
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Which record: a formula over the page, such as <c>vessels.selected</c>.</summary>
    public string? Record { get; init; }

    /// <summary>The fields shown, in order.</summary>
    public ImmutableArray<FieldName> Fields { get; init; } = [];

    /// <summary>What this panel calls fields otherwise.</summary>
    public ImmutableArray<LabelOverride> Labels { get; init; } = [];

    /// <summary>The field with the picture at its head.</summary>
    public FieldName? Picture { get; init; }

    /// <summary>What stands below its title, or a formula over the record.</summary>
    public string? Subtitle { get; init; }

    /// <summary>What can be done with it; the first stands out.</summary>
    public ImmutableArray<NamedAction> RecordActions { get; init; } = [];

    /// <summary>It is not there while there is no record.</summary>
    public bool Vanishes { get; init; }

    /// <summary>The fields stand in two columns where there is room.</summary>
    public bool TwoColumns { get; init; } = true;

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Record is null ? [Lacks("record", "It is not said which record is shown.")] : [];

    /// <inheritdoc/>
    public override string? RecordMember => "record";

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Record", "One record's fields, to be read", "card-text",
        (name, dataset) => new RecordPanel { Name = name, Dataset = dataset!.Id, Fields = AppDrafting.Visible(dataset), Width = 6 },
        [
            Of<RecordPanel>(
                "dataset",
                "Dataset",
                SettingPart.Content,
                new SettingKind.SomeDataset(),
                panel => panel.Dataset.ToString(),
                (panel, text) => Guid.TryParse(text, out var id) ? panel with { Dataset = new DatasetId(id) } : null),
            Of<RecordPanel>(
                "record",
                "Which record",
                SettingPart.Content,
                new SettingKind.SomeRecord(),
                panel => panel.Record,
                (panel, text) => panel with { Record = Blank(text) }),
            Of<RecordPanel>(
                "fields",
                "Fields",
                SettingPart.Content,
                new SettingKind.Fields(),
                panel => Joined(panel.Fields),
                (panel, text) => panel with { Fields = FieldNames(text) }),
            Of<RecordPanel>(
                "labels",
                "Called here",
                SettingPart.Content,
                new SettingKind.FieldTexts(),
                panel => LabelOverride.ToText(panel.Labels),
                (panel, text) => panel with { Labels = LabelOverride.Read(text) }) with
            {
                Beside = "fields",
            },
            Of<RecordPanel>(
                "picture",
                "Picture",
                SettingPart.Content,
                new SettingKind.OneField { Pictures = true },
                panel => panel.Picture?.Value,
                (panel, text) => panel with { Picture = text.Length == 0 ? null : new FieldName(text) }),
            Of<RecordPanel>(
                "subtitle",
                "Subtitle",
                SettingPart.Content,
                new SettingKind.Line(new FormulaType.Text(), OverRecord: true),
                panel => panel.Subtitle,
                (panel, text) => panel with { Subtitle = Blank(text) }),
            Of<RecordPanel>(
                "vanishes",
                "Is away while there is no record",
                SettingPart.Behaviour,
                new SettingKind.Toggle(),
                panel => Word(panel.Vanishes),
                (panel, text) => panel with { Vanishes = text == "yes" }),
            Of<RecordPanel>(
                "recordActions",
                "Actions",
                SettingPart.Behaviour,
                new SettingKind.NamedActions(OverRecord: true),
                panel => SettingKind.NamedActions.Write(panel.RecordActions),
                (panel, text) => panel with { RecordActions = SettingKind.NamedActions.Read(text)!.Value }),
            Of<RecordPanel>(
                "twoColumns",
                "Two columns",
                SettingPart.Appearance,
                new SettingKind.Toggle(),
                panel => Word(panel.TwoColumns),
                (panel, text) => panel with { TwoColumns = text == "yes" }),
        ])
    { NeedsDataset = true };

    /// <inheritdoc/>
    public override IEnumerable<(ActionPlace Place, NamedAction Action)> Actions =>
        RecordActions.Select(action => (ActionPlace.Record, action));

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Record(Dataset) is { } record ? [new PanelMember("record", record, FromContent: true)] : [];
    }
}
