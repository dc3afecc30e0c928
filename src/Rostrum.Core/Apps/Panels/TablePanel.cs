using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A dataset's records as a table.</summary>
public sealed record TablePanel : ListPanel, IPanelKind
{
    /// <summary>The fields and computed columns shown, in order. Those whose field is gone are left out.</summary>
    public new required ImmutableArray<FieldName> Columns { get; init; }

    /// <summary>Columns that only this table has.</summary>
    public ImmutableArray<PanelColumn> Computed { get; init; } = [];

    /// <summary>How wide columns are, in characters.</summary>
    public ImmutableDictionary<FieldName, int> Widths { get; init; } = ImmutableDictionary<FieldName, int>.Empty;

    /// <summary>The totals in the footer, each over all records on any page.</summary>
    public ImmutableDictionary<FieldName, Total> Totals { get; init; } = ImmutableDictionary<FieldName, Total>.Empty;

    /// <summary>What makes records stand out.</summary>
    public ImmutableArray<Highlight> Highlights { get; init; } = [];

    /// <summary>How high rows are; as the app has it where null.</summary>
    public Density? Density { get; init; }

    /// <summary>Views of it that everybody can choose.</summary>
    public ImmutableArray<SavedView> Views { get; init; } = [];

    /// <summary>The columns whose cells people can type into.</summary>
    public ImmutableArray<FieldName> Editable { get; init; } = [];

    /// <summary>The fields by which new rows find the record that they change; none where they are always added.</summary>
    public ImmutableArray<FieldName> MatchBy { get; init; } = [];

    /// <summary>Of what was typed, records that can be saved are, though others cannot; otherwise all are, or none.</summary>
    public bool SavesEach { get; init; }

    /// <summary>The workflow whose steps save what was typed; blank where it is saved as it is.</summary>
    public string SaveWorkflow { get; init; } = "";

    /// <summary>People can download what it shows.</summary>
    public bool AllowDownload { get; init; } = true;

    /// <summary>People can have rows of files among its records.</summary>
    public bool AllowImport { get; init; }

    /// <summary>People can narrow it by its fields.</summary>
    public bool AllowFiltering { get; init; } = true;

    /// <summary>Rows can be checked, to do something with all of them.</summary>
    public bool Checkboxes { get; init; }

    /// <summary>What can be done with each of the checked records.</summary>
    public ImmutableArray<NamedAction> CheckedActions { get; init; } = [];

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        base.Problems(place)
            .Concat(
                from field in Highlights.Select(highlight => highlight.Field).OfType<FieldName>()
                where !Columns.Contains(field)
                select Lacks(
                    "highlights",
                    $"A highlight is on the column “{place.Dataset?.Find(field)?.Label ?? field.Value}”, which is not shown.",
                    warns: true
                )
            )
            .Concat(
                from field in Editable
                where !Columns.Contains(field)
                select Lacks(
                    "editable",
                    $"“{place.Dataset?.Find(field)?.Label ?? field.Value}” can be edited in the table, and is not shown in it.",
                    warns: true
                )
            );

    /// <inheritdoc/>
    public override IEnumerable<FieldName> OwnColumns => Computed.Select(column => column.Name);

    /// <inheritdoc/>
    public override IEnumerable<GivenMember> Given(PanelState? state) =>
        [.. base.Given(state), new GivenMember.Several("checked", ListState.Of(state).Checked)];

    /// <inheritdoc/>
    public override IEnumerable<string> ChangedMembers(PanelState? state, PanelState? other)
    {
        var changed = base.ChangedMembers(state, other);
        return ListState.Of(state).Checked.SequenceEqual(ListState.Of(other).Checked) ? changed : [.. changed, "checked"];
    }

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Table",
            "Records in rows, to search, sort and open",
            "table",
            (name, dataset) => AppDrafting.Table(name, dataset!) with { OnChoice = RowChoice.Select },
            [
                .. Records,
                SettingsOf<TablePanel>.Fields(
                    "columns",
                    "Columns",
                    panel => panel.Columns,
                    (panel, names) => names.IsEmpty ? null : panel with { Columns = names },
                    withComputed: true
                ),
                SettingsOf<TablePanel>.Labels("columns", panel => panel.Labels, (panel, labels) => panel with { Labels = labels }),
                SettingsOf<TablePanel>.ByField(
                    "widths",
                    "Width",
                    "columns",
                    new SettingKind.FieldTexts(),
                    panel => panel.Widths,
                    (panel, widths) => panel with { Widths = widths },
                    width => width.ToString(CultureInfo.InvariantCulture),
                    text =>
                        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var width) && width is >= 2 and <= 99
                            ? width
                            : null
                ),
                SettingsOf<TablePanel>.ByField(
                    "totals",
                    "Footer",
                    "columns",
                    new SettingKind.FieldTexts
                    {
                        Options = [("", "–"), .. FieldTotal.Offered.Select(total => (Words.Of(total.Total), total.Label))],
                    },
                    panel => panel.Totals,
                    (panel, totals) => panel with { Totals = totals },
                    Words.Of,
                    Words.Read<Total>
                ),
                Of<TablePanel>(
                    "computed",
                    "Computed columns",
                    SettingPart.Content,
                    new SettingKind.ComputedColumns(),
                    panel => SettingKind.ComputedColumns.Write(panel.Computed),
                    (panel, text) => panel.WithComputed(SettingKind.ComputedColumns.Read(text)!.Value)
                ),
                SettingsOf<TablePanel>.Fields(
                    "editable",
                    "Editable columns",
                    panel => panel.Editable,
                    (panel, names) => panel with { Editable = names },
                    written: true
                ) with
                {
                    Help = "People type into their cells, and save several records at once.",
                },
                SettingsOf<TablePanel>
                    .Fields(
                        "matchBy",
                        "Find records by",
                        panel => panel.MatchBy,
                        (panel, names) => panel with { MatchBy = names },
                        written: true
                    )
                    .Where<TablePanel>(panel => !panel.Editable.IsEmpty) with
                {
                    Help = "A new row with the values of a record in all of these changes that record, and adds none.",
                },
                SettingsOf<TablePanel>
                    .Toggle(
                        "savesEach",
                        "Save record by record",
                        SettingPart.Behaviour,
                        panel => panel.SavesEach,
                        (panel, on) => panel with { SavesEach = on }
                    )
                    .Where<TablePanel>(panel => !panel.Editable.IsEmpty && panel.SaveWorkflow.Length == 0),
                SettingsOf<TablePanel>
                    .Named(
                        "saveWorkflow",
                        "Save with a workflow",
                        SettingPart.Behaviour,
                        NamedThing.SavingWorkflow,
                        panel => panel.SaveWorkflow,
                        (panel, name) => panel with { SaveWorkflow = name }
                    )
                    .Where<TablePanel>(panel => !panel.Editable.IsEmpty) with
                {
                    Help = "Its steps take the place of the save, and get what was typed.",
                },
                SettingsOf<TablePanel>.Choice(
                    "density",
                    "Density",
                    SettingPart.Appearance,
                    "same as the app",
                    [(Apps.Density.Compact, "compact"), (Apps.Density.Comfortable, "comfortable")],
                    panel => panel.Density,
                    (panel, density) => panel with { Density = density }
                ),
                SettingsOf<TablePanel>.Highlights(panel => panel.Highlights, (panel, highlights) => panel with { Highlights = highlights }),
                Of<TablePanel>(
                    "views",
                    "Views",
                    SettingPart.Behaviour,
                    new SettingKind.Views(),
                    panel => SettingKind.Views.Write(panel.Views),
                    (panel, text) => panel with { Views = SettingKind.Views.Read(text)!.Value }
                ),
                SettingsOf<TablePanel>.Toggle(
                    "allowFiltering",
                    "Allow filtering",
                    SettingPart.Behaviour,
                    panel => panel.AllowFiltering,
                    (panel, on) => panel with { AllowFiltering = on }
                ),
                SettingsOf<TablePanel>.Toggle(
                    "allowDownload",
                    "Allow download",
                    SettingPart.Behaviour,
                    panel => panel.AllowDownload,
                    (panel, on) => panel with { AllowDownload = on }
                ),
                SettingsOf<TablePanel>.Toggle(
                    "allowImport",
                    "Allow import",
                    SettingPart.Behaviour,
                    panel => panel.AllowImport,
                    (panel, on) => panel with { AllowImport = on }
                ) with
                {
                    Help = "Rows of CSV, XLSX and JSON files are added, or change records, after a check.",
                },
                SettingsOf<TablePanel>.Toggle(
                    "checkboxes",
                    "Checkboxes",
                    SettingPart.Behaviour,
                    panel => panel.Checkboxes,
                    (panel, on) => panel with { Checkboxes = on }
                ) with
                {
                    Help = "To change or delete several records at once.",
                },
                SettingsOf<TablePanel>.Actions(
                    "checkedActions",
                    "Actions on checked rows",
                    SettingPart.Behaviour,
                    overRecord: true,
                    panel => panel.CheckedActions,
                    (panel, actions) => panel with { CheckedActions = actions }
                ),
                .. Behaviour,
            ]
        )
        {
            NeedsDataset = true,
        };

    /// <inheritdoc/>
    public override IEnumerable<(ActionPlace Place, NamedAction Action)> Actions =>
        [.. base.Actions, .. CheckedActions.Select(action => (ActionPlace.Checked, action))];

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Record(Dataset) is { } record
            ? [.. base.Members(types), new PanelMember("checked", new FormulaType.List(record))]
            : [];
    }

    // A column that is new is shown, and one that is gone is not.
    private TablePanel WithComputed(ImmutableArray<PanelColumn> computed)
    {
        var gone = Computed.Select(column => column.Name).Except(computed.Select(column => column.Name)).ToHashSet();
        var come = computed.Select(column => column.Name).Except(Computed.Select(column => column.Name)).Except(Columns);
        return this with { Computed = computed, Columns = [.. Columns.Where(name => !gone.Contains(name)), .. come] };
    }
}

/// <summary>A column that a formula gives in one table only.</summary>
/// <param name="Name">The name among the table's columns.</param>
/// <param name="Label">What people read.</param>
/// <param name="Formula">A formula over each record.</param>
public sealed record PanelColumn(FieldName Name, string Label, string Formula);

/// <summary>What one panel calls a field.</summary>
public sealed record LabelOverride(FieldName Field, string Label)
{
    /// <summary>A dataset with some fields called otherwise.</summary>
    public static Dataset Apply(ImmutableArray<LabelOverride> labels, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        string? Label(FieldName field) => labels.FirstOrDefault(label => label.Field == field)?.Label;
        return labels.IsEmpty
            ? dataset
            : dataset with
            {
                Fields = [.. dataset.Fields.Select(field => Label(field.Name) is { } label ? field with { Label = label } : field)],
                Relations =
                [
                    .. dataset.Relations.Select(relation =>
                        Label(relation.Field) is { } label ? relation with { Label = label } : relation
                    ),
                ],
            };
    }

    internal static string ToText(ImmutableArray<LabelOverride> labels) =>
        SettingKind.FieldTexts.Write(labels.ToDictionary(label => label.Field.Value, label => label.Label));

    internal static ImmutableArray<LabelOverride> Read(string text) =>
        [
            .. SettingKind
                .FieldTexts.Map(text)!
                .Where(pair => !string.IsNullOrWhiteSpace(pair.Value))
                .Select(pair => new LabelOverride(new FieldName(pair.Key), pair.Value.Trim())),
        ];
}
