using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json.Serialization;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A dataset's records as a table.</summary>
public sealed record TablePanel : Panel, IPanelKind
{
    /// <summary>What happens to a record that is chosen: it opens in a sheet with a form.</summary>
    public const string InSheet = "sheet";

    /// <summary>What happens to a record that is chosen: it is selected, for other panels to show.</summary>
    public const string Selecting = "select";

    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>The fields and computed columns shown, in order. Those whose field is gone are left out.</summary>
    public new required ImmutableArray<FieldName> Columns { get; init; }

    /// <summary>The fields of the record's sheet, in order.</summary>
    public ImmutableArray<FieldName> SheetFields { get; init; } = [];

    /// <summary>The order until a person chooses another.</summary>
    public ImmutableArray<SortBy> Sort { get; init; } = [];

    /// <summary>What this panel calls fields otherwise than their dataset does. All else is inherited.</summary>
    public ImmutableArray<LabelOverride> Labels { get; init; } = [];

    /// <summary>Columns that only this table has.</summary>
    public ImmutableArray<PanelColumn> Computed { get; init; } = [];

    /// <summary>How wide columns are, in characters.</summary>
    public ImmutableDictionary<string, string> Widths { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>Records a page.</summary>
    public int PageSize { get; init; } = 50;

    /// <summary>Whose records these are: a formula such as <c>vessels.selected.defects</c>; all where null.</summary>
    public string? Within { get; init; }

    /// <summary>Which of them: a condition over each record and the page; all where null.</summary>
    public string? Filter { get; init; }

    /// <summary>What happens to a record that is chosen.</summary>
    public string OnChoice { get; init; } = InSheet;

    /// <summary>People can search it.</summary>
    public bool Searchable { get; init; } = true;

    /// <summary>People can narrow it by its fields.</summary>
    public bool Filterable { get; init; } = true;

    /// <summary>New records can be added here by those who may.</summary>
    public bool AddsRecords { get; init; } = true;

    /// <summary>What can be done with each record.</summary>
    public ImmutableArray<NamedAction> RowActions { get; init; } = [];

    /// <summary>What can be done here.</summary>
    public ImmutableArray<NamedAction> ListActions { get; init; } = [];

    /// <inheritdoc/>
    [JsonIgnore]
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Table", "Records in rows, to search, sort and open", "table",
        (name, dataset) => AppDrafting.Table(name, dataset!) with { OnChoice = Selecting },
        [
            Of<TablePanel>("dataset", "Dataset", SettingPart.Content, new SettingKind.SomeDataset(), panel => panel.Dataset.ToString(), (panel, text) => Guid.TryParse(text, out var id) ? panel with { Dataset = new DatasetId(id) } : null),
            Of<TablePanel>("within", "Whose records", SettingPart.Content, new SettingKind.SomeRecords(), panel => panel.Within, (panel, text) => panel with { Within = Blank(text) }),
            Of<TablePanel>("filter", "Which records", SettingPart.Content, new SettingKind.Condition(), panel => panel.Filter, (panel, text) => panel with { Filter = Blank(text) }),
            Of<TablePanel>("columns", "Columns", SettingPart.Content, new SettingKind.Fields(WithComputed: true), panel => Joined(panel.Columns), (panel, text) => Names(text) is { IsEmpty: false } names ? panel with { Columns = names } : null),
            Of<TablePanel>("labels", "Called here", SettingPart.Content, new SettingKind.FieldTexts(), panel => LabelOverride.ToText(panel.Labels), (panel, text) => panel with { Labels = LabelOverride.Read(text) }) with { Beside = "columns" },
            Of<TablePanel>("widths", "Characters wide", SettingPart.Content, new SettingKind.FieldTexts(), panel => SettingKind.FieldTexts.Write(panel.Widths), (panel, text) => SettingKind.FieldTexts.Map(text)!.Where(pair => pair.Value.Length > 0).ToImmutableDictionary() is var widths && widths.Values.All(width => int.TryParse(width, NumberStyles.None, CultureInfo.InvariantCulture, out var characters) && characters is >= 2 and <= 99) ? panel with { Widths = widths } : null) with { Beside = "columns" },
            Of<TablePanel>("computed", "Computed columns", SettingPart.Content, new SettingKind.ComputedColumns(), panel => SettingKind.ComputedColumns.Write(panel.Computed), (panel, text) => panel.WithComputed(SettingKind.ComputedColumns.Read(text)!.Value)),
            Of<TablePanel>("sort", "Order", SettingPart.Content, new SettingKind.OneField(), panel => panel.Sort is [var sort, ..] ? (sort.Descending ? "-" : "") + sort.Field : "", (panel, text) => panel with { Sort = text.Length == 0 ? [] : [text[0] == '-' ? new SortBy(new FieldName(text[1..]), Descending: true) : new SortBy(new FieldName(text))] }) with { Help = "Until somebody chooses another." },
            Of<TablePanel>("pageSize", "Rows a page", SettingPart.Content, new SettingKind.Whole(1, 500), panel => panel.PageSize.ToString(CultureInfo.InvariantCulture), (panel, text) => panel with { PageSize = int.Parse(text, CultureInfo.InvariantCulture) }),
            Of<TablePanel>("onChoice", "A chosen record", SettingPart.Behaviour, new SettingKind.OneOf([(InSheet, "opens in a sheet, with a form"), (Selecting, "is selected")]), panel => panel.OnChoice, (panel, text) => panel with { OnChoice = text }) with { Help = "Other panels and formulas know the selected record by this panel's name." },
            Of<TablePanel>("sheetFields", "Fields of the sheet", SettingPart.Content, new SettingKind.Fields(), panel => Joined(panel.SheetFields), (panel, text) => panel with { SheetFields = Names(text) }),
            Of<TablePanel>("searchable", "Search", SettingPart.Behaviour, new SettingKind.Toggle(), panel => Word(panel.Searchable), (panel, text) => panel with { Searchable = text == "yes" }),
            Of<TablePanel>("filterable", "Filter sentence", SettingPart.Behaviour, new SettingKind.Toggle(), panel => Word(panel.Filterable), (panel, text) => panel with { Filterable = text == "yes" }),
            Of<TablePanel>("addsRecords", "Adds records", SettingPart.Behaviour, new SettingKind.Toggle(), panel => Word(panel.AddsRecords), (panel, text) => panel with { AddsRecords = text == "yes" }),
            Of<TablePanel>("rowActions", "Actions of a row", SettingPart.Behaviour, new SettingKind.NamedActions(OverRecord: true), panel => SettingKind.NamedActions.Write(panel.RowActions), (panel, text) => panel with { RowActions = SettingKind.NamedActions.Read(text)!.Value }),
            Of<TablePanel>("listActions", "Actions of the list", SettingPart.Behaviour, new SettingKind.NamedActions(OverRecord: false), panel => SettingKind.NamedActions.Write(panel.ListActions), (panel, text) => panel with { ListActions = SettingKind.NamedActions.Read(text)!.Value }),
        ])
    { NeedsDataset = true };

    /// <summary>The dataset as this panel shows it.</summary>
    public Dataset Shown(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return LabelOverride.Apply(Labels, dataset);
    }

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Record(Dataset) is { } record ? [new PanelMember("selected", record)] : [];
    }

    private static ImmutableArray<FieldName> Names(string text) => [.. Split(text).Select(name => new FieldName(name)).Distinct()];

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
            Relations = [.. dataset.Relations.Select(relation => Label(relation.Field) is { } label ? relation with { Label = label } : relation)],
        };
    }

    internal static string ToText(ImmutableArray<LabelOverride> labels) => SettingKind.FieldTexts.Write(labels.ToDictionary(label => label.Field.Value, label => label.Label));

    internal static ImmutableArray<LabelOverride> Read(string text) => [.. SettingKind.FieldTexts.Map(text)!.Where(pair => !string.IsNullOrWhiteSpace(pair.Value)).Select(pair => new LabelOverride(new FieldName(pair.Key), pair.Value.Trim()))];
}
