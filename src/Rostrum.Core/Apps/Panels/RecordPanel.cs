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
    public bool HideWhenEmpty { get; init; }

    /// <summary>The fields stand in two columns where there is room.</summary>
    public bool TwoColumns { get; init; } = true;

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Record is null ? [Lacks("record", "It shows no record: choose which.")] : [];

    /// <inheritdoc/>
    public override string? RecordMember => "record";

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Record",
            "One record's fields, to be read",
            "card-text",
            (name, dataset) =>
                new RecordPanel
                {
                    Name = name,
                    Dataset = dataset!.Id,
                    Fields = AppDrafting.Visible(dataset),
                    Width = 6,
                },
            [
                SettingsOf<RecordPanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
                SettingsOf<RecordPanel>.Record("Record", panel => panel.Record, (panel, formula) => panel with { Record = formula }),
                SettingsOf<RecordPanel>.Fields("fields", "Fields", panel => panel.Fields, (panel, names) => panel with { Fields = names }),
                SettingsOf<RecordPanel>.Labels("fields", panel => panel.Labels, (panel, labels) => panel with { Labels = labels }),
                SettingsOf<RecordPanel>.Picture(panel => panel.Picture, (panel, field) => panel with { Picture = field }),
                SettingsOf<RecordPanel>.Text(
                    "subtitle",
                    "Subtitle",
                    SettingPart.Content,
                    panel => panel.Subtitle,
                    (panel, text) => panel with { Subtitle = text },
                    overRecord: true
                ),
                SettingsOf<RecordPanel>.Toggle(
                    "hideWhenEmpty",
                    "Hide when empty",
                    SettingPart.Behaviour,
                    panel => panel.HideWhenEmpty,
                    (panel, on) => panel with { HideWhenEmpty = on }
                ),
                SettingsOf<RecordPanel>.Actions(
                    "recordActions",
                    "Actions",
                    SettingPart.Behaviour,
                    overRecord: true,
                    panel => panel.RecordActions,
                    (panel, actions) => panel with { RecordActions = actions }
                ),
                SettingsOf<RecordPanel>.Toggle(
                    "twoColumns",
                    "Two columns",
                    SettingPart.Appearance,
                    panel => panel.TwoColumns,
                    (panel, on) => panel with { TwoColumns = on }
                ),
            ]
        )
        {
            NeedsDataset = true,
        };

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
