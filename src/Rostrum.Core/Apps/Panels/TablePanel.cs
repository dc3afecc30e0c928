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
    private static readonly ImmutableArray<(string, string)> TotalWords =
    [
        ("", "–"),
        ("sum", "sum"),
        ("average", "average"),
        ("least", "least"),
        ("most", "most"),
    ];

    /// <summary>The fields and computed columns shown, in order. Those whose field is gone are left out.</summary>
    public new required ImmutableArray<FieldName> Columns { get; init; }

    /// <summary>Columns that only this table has.</summary>
    public ImmutableArray<PanelColumn> Computed { get; init; } = [];

    /// <summary>How wide columns are, in characters.</summary>
    public ImmutableDictionary<string, string> Widths { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>
    /// What stands under columns, over all records that are shown on any page: <c>sum</c>, <c>average</c>, <c>least</c>, <c>most</c>.
    /// </summary>
    public ImmutableDictionary<string, string> Totals { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>What makes records stand out.</summary>
    public ImmutableArray<RecordTone> Tones { get; init; } = [];

    /// <summary>How high rows are: <c>close</c> or <c>comfortable</c>; as the app has it where blank.</summary>
    public string Rows { get; init; } = "";

    /// <summary>People can download what it shows.</summary>
    public bool Downloadable { get; init; } = true;

    /// <summary>People can narrow it by its fields.</summary>
    public bool Filterable { get; init; } = true;

    /// <summary>Rows can be checked, to do something with all of them.</summary>
    public bool Checkable { get; init; }

    /// <summary>What can be done with each of the checked records.</summary>
    public ImmutableArray<NamedAction> CheckedActions { get; init; } = [];

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
    public static new PanelKind Kind { get; } = new("Table", "Records in rows, to search, sort and open", "table",
        (name, dataset) => AppDrafting.Table(name, dataset!) with { OnChoice = Selecting },
        [
            .. Records,
            Of<TablePanel>(
                "columns",
                "Columns",
                SettingPart.Content,
                new SettingKind.Fields(WithComputed: true),
                panel => Joined(panel.Columns),
                (panel, text) => FieldNames(text) is { IsEmpty: false } names ? panel with { Columns = names } : null),
            Of<TablePanel>(
                "labels",
                "Called here",
                SettingPart.Content,
                new SettingKind.FieldTexts(),
                panel => LabelOverride.ToText(panel.Labels),
                (panel, text) => panel with { Labels = LabelOverride.Read(text) }) with
            {
                Beside = "columns",
            },
            Of<TablePanel>(
                "widths",
                "Characters wide",
                SettingPart.Content,
                new SettingKind.FieldTexts(),
                panel => SettingKind.FieldTexts.Write(panel.Widths),
                (panel, text) => SettingKind.FieldTexts.Map(text)!
                    .Where(pair => pair.Value.Length > 0)
                    .ToImmutableDictionary() is var widths
                    && widths.Values.All(width => int.TryParse(width, NumberStyles.None, CultureInfo.InvariantCulture, out var characters)
                        && characters is >= 2 and <= 99)
                    ? panel with { Widths = widths }
                    : null) with
            {
                Beside = "columns",
            },
            Of<TablePanel>(
                "totals",
                "In the foot",
                SettingPart.Content,
                new SettingKind.FieldTexts { Options = TotalWords },
                panel => SettingKind.FieldTexts.Write(panel.Totals),
                (panel, text) => panel with
                {
                    Totals = SettingKind.FieldTexts.Map(text)!.Where(pair => pair.Value.Length > 0).ToImmutableDictionary(),
                }) with
            {
                Beside = "columns",
            },
            Of<TablePanel>(
                "computed",
                "Computed columns",
                SettingPart.Content,
                new SettingKind.ComputedColumns(),
                panel => SettingKind.ComputedColumns.Write(panel.Computed),
                (panel, text) => panel.WithComputed(SettingKind.ComputedColumns.Read(text)!.Value)),
            Of<TablePanel>(
                "rows",
                "Rows",
                SettingPart.Appearance,
                new SettingKind.OneOf([("", "as the app has them"), ("close", "close together"), ("comfortable", "comfortable")]),
                panel => panel.Rows,
                (panel, text) => panel with { Rows = text }),
            Of<TablePanel>(
                "tones",
                "Stands out",
                SettingPart.Appearance,
                new SettingKind.Tones(),
                panel => SettingKind.Tones.Write(panel.Tones),
                (panel, text) => panel with { Tones = SettingKind.Tones.Read(text)!.Value }),
            Of<TablePanel>(
                "filterable",
                "Filter sentence",
                SettingPart.Behaviour,
                new SettingKind.Toggle(),
                panel => Word(panel.Filterable),
                (panel, text) => panel with { Filterable = text == "yes" }),
            Of<TablePanel>(
                "downloadable",
                "Can be downloaded",
                SettingPart.Behaviour,
                new SettingKind.Toggle(),
                panel => Word(panel.Downloadable),
                (panel, text) => panel with { Downloadable = text == "yes" }),
            Of<TablePanel>(
                "checkable",
                "Rows can be checked",
                SettingPart.Behaviour,
                new SettingKind.Toggle(),
                panel => Word(panel.Checkable),
                (panel, text) => panel with { Checkable = text == "yes" }) with
            {
                Help = "Those who may can then change or delete several at once.",
            },
            Of<TablePanel>(
                "checkedActions",
                "Actions of checked rows",
                SettingPart.Behaviour,
                new SettingKind.NamedActions(OverRecord: true),
                panel => SettingKind.NamedActions.Write(panel.CheckedActions),
                (panel, text) => panel with { CheckedActions = SettingKind.NamedActions.Read(text)!.Value }),
            .. Doings,
        ])
    { NeedsDataset = true };

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
        return labels.IsEmpty ? dataset : dataset with
        {
            Fields = [.. dataset.Fields.Select(field => Label(field.Name) is { } label ? field with { Label = label } : field)],
            Relations =
            [
                .. dataset.Relations.Select(relation => Label(relation.Field) is { } label ? relation with { Label = label } : relation),
            ],
        };
    }

    internal static string ToText(ImmutableArray<LabelOverride> labels) =>
        SettingKind.FieldTexts.Write(labels.ToDictionary(label => label.Field.Value, label => label.Label));

    internal static ImmutableArray<LabelOverride> Read(string text) =>
        [
            .. SettingKind.FieldTexts.Map(text)!
                .Where(pair => !string.IsNullOrWhiteSpace(pair.Value))
                .Select(pair => new LabelOverride(new FieldName(pair.Key), pair.Value.Trim())),
        ];
}
