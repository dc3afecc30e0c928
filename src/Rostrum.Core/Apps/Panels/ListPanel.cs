using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>
/// Many records of a dataset, in whatever way they are shown: which, in what order, and what happens to one that is chosen.
/// </summary>
public abstract record ListPanel : Panel
{
    /// <summary>What happens to a record that is chosen: it opens in a sheet with a form.</summary>
    public const string InSheet = "sheet";

    /// <summary>What happens to a record that is chosen: it is selected, for other panels to show.</summary>
    public const string Selecting = "select";

    /// <summary>What happens to a record that is chosen: a page opens for it.</summary>
    public const string ToPage = "page";

    /// <summary>Nothing happens to a record that is chosen.</summary>
    public const string Nothing = "nothing";

    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Whose records these are: a formula such as <c>vessels.selected.defects</c>; all where null.</summary>
    public string? Within { get; init; }

    /// <summary>Which of them: a condition over each record and the page; all where null.</summary>
    public string? Filter { get; init; }

    /// <summary>The order until a person chooses another.</summary>
    public ImmutableArray<SortBy> Sort { get; init; } = [];

    /// <summary>What this panel calls fields otherwise than their dataset does. All else is inherited.</summary>
    public ImmutableArray<LabelOverride> Labels { get; init; } = [];

    /// <summary>The fields of the record's sheet, in order.</summary>
    public ImmutableArray<FieldName> SheetFields { get; init; } = [];

    /// <summary>Records a page.</summary>
    public int PageSize { get; init; } = 50;

    /// <summary>What follows a page comes when one scrolls there, and not by a button.</summary>
    public bool Scrolls { get; init; }

    /// <summary>It is not there while it has no records.</summary>
    public bool Vanishes { get; init; }

    /// <summary>People can search it.</summary>
    public bool Searchable { get; init; } = true;

    /// <summary>New records can be added here by those who may.</summary>
    public bool AddsRecords { get; init; } = true;

    /// <summary>What happens to a record that is chosen.</summary>
    public string OnChoice { get; init; } = InSheet;

    /// <summary>The page that opens for a chosen record, by its address.</summary>
    public string ChoicePage { get; init; } = "";

    /// <summary>What can be done with each record.</summary>
    public ImmutableArray<NamedAction> RowActions { get; init; } = [];

    /// <summary>What can be done here.</summary>
    public ImmutableArray<NamedAction> ListActions { get; init; } = [];

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override string? RecordPage => OnChoice == ToPage ? ChoicePage : null;

    /// <inheritdoc/>
    public override IEnumerable<(ActionPlace Place, NamedAction Action)> Actions =>
        [.. ListActions.Select(action => (ActionPlace.List, action)), .. RowActions.Select(action => (ActionPlace.Record, action))];

    /// <summary>The dataset as this panel shows it.</summary>
    public Dataset Shown(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return LabelOverride.Apply(Labels, dataset);
    }

    /// <inheritdoc/>
    public override bool OpensRecords => OnChoice == InSheet;

    /// <inheritdoc/>
    public override PanelState? ReadState(AddressParts address) => ListState.Read(address);

    /// <inheritdoc/>
    public override IEnumerable<GivenMember> Given(PanelState? state) => [new GivenMember.One("selected", ListState.Of(state).Selected)];

    /// <inheritdoc/>
    public override IEnumerable<string> ChangedMembers(PanelState? state, PanelState? other) =>
        ListState.Of(state).Selected == ListState.Of(other).Selected ? [] : ["selected"];

    /// <inheritdoc/>
    public override bool LooksTheSame(PanelState? state, PanelState? other) => ListState.Of(state).ShowsTheSameAs(ListState.Of(other));

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        if (RecordPage is { } address && place.App.Find(address)?.ParameterFor(Dataset) is null)
        {
            yield return Lacks("choicePage", address.Length == 0 ? "A chosen record opens a page: choose which."
                : place.App.Find(address) is { } known ? $"A chosen record opens the page “{known.Name}”, which has no parameter for a {place.Dataset?.RecordLabel}."
                : $"A chosen record opens the page “{address}”, which is not there.");
        }
    }

    /// <inheritdoc/>
    public override IEnumerable<PanelMember> Members(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return types.Record(Dataset) is { } record ? [new PanelMember("selected", record)] : [];
    }

    /// <summary>The settings that say which records there are.</summary>
    internal static ImmutableArray<Setting> Records { get; } =
    [
        Of<ListPanel>(
            "dataset",
            "Dataset",
            SettingPart.Content,
            new SettingKind.SomeDataset(),
            panel => panel.Dataset.ToString(),
            (panel, text) => Guid.TryParse(text, out var id) ? panel with { Dataset = new DatasetId(id) } : null),
        Of<ListPanel>(
            "within",
            "Whose records",
            SettingPart.Content,
            new SettingKind.SomeRecords(),
            panel => panel.Within,
            (panel, text) => panel with { Within = Blank(text) }),
        Of<ListPanel>(
            "filter",
            "Which records",
            SettingPart.Content,
            new SettingKind.Condition(),
            panel => panel.Filter,
            (panel, text) => panel with { Filter = Blank(text) }),
        Of<ListPanel>(
            "sort",
            "Order",
            SettingPart.Content,
            new SettingKind.OneField(),
            panel => panel.Sort is [var sort, ..] ? (sort.Descending ? "-" : "") + sort.Field : "",
            (panel, text) => panel with
            {
                Sort = text.Length == 0
                    ? []
                    : [text[0] == '-' ? new SortBy(new FieldName(text[1..]), Descending: true) : new SortBy(new FieldName(text))],
            }) with
        {
            Help = "Until somebody chooses another.",
        },
        Of<ListPanel>(
            "pageSize",
            "Records a page",
            SettingPart.Content,
            new SettingKind.Whole(1, 500),
            panel => panel.PageSize.ToString(CultureInfo.InvariantCulture),
            (panel, text) => panel with { PageSize = int.Parse(text, CultureInfo.InvariantCulture) }),
    ];

    /// <summary>The settings that say what happens.</summary>
    internal static ImmutableArray<Setting> Doings { get; } =
    [
        Of<ListPanel>(
            "onChoice",
            "A chosen record",
            SettingPart.Behaviour,
            new SettingKind.OneOf([
                (InSheet, "opens in a sheet, with a form"),
                (Selecting, "is selected"),
                (ToPage, "opens a page"),
                (Nothing, "does nothing"),
            ]),
            panel => panel.OnChoice,
            (panel, text) => panel with { OnChoice = text }) with
        {
            Help = "Other panels and formulas know the selected record by this panel's name.",
        },
        Of<ListPanel>(
            "choicePage",
            "Which page",
            SettingPart.Behaviour,
            new SettingKind.SomeNamed(NamedThing.Page),
            panel => panel.ChoicePage,
            (panel, text) => panel with { ChoicePage = text }) with
        {
            Help = "It has a parameter for such a record.",
        },
        Of<ListPanel>(
            "sheetFields",
            "Fields of the sheet",
            SettingPart.Content,
            new SettingKind.Fields(),
            panel => Joined(panel.SheetFields),
            (panel, text) => panel with { SheetFields = FieldNames(text) }),
        Of<ListPanel>(
            "searchable",
            "Search",
            SettingPart.Behaviour,
            new SettingKind.Toggle(),
            panel => Word(panel.Searchable),
            (panel, text) => panel with { Searchable = text == "yes" }),
        Of<ListPanel>(
            "addsRecords",
            "Adds records",
            SettingPart.Behaviour,
            new SettingKind.Toggle(),
            panel => Word(panel.AddsRecords),
            (panel, text) => panel with { AddsRecords = text == "yes" }),
        Of<ListPanel>(
            "scrolls",
            "Goes on by scrolling",
            SettingPart.Behaviour,
            new SettingKind.Toggle(),
            panel => Word(panel.Scrolls),
            (panel, text) => panel with { Scrolls = text == "yes" }) with
        {
            Help = "In place of pages.",
        },
        Of<ListPanel>(
            "vanishes",
            "Is away while it is empty",
            SettingPart.Behaviour,
            new SettingKind.Toggle(),
            panel => Word(panel.Vanishes),
            (panel, text) => panel with { Vanishes = text == "yes" }),
        Of<ListPanel>(
            "rowActions",
            "Actions of a record",
            SettingPart.Behaviour,
            new SettingKind.NamedActions(OverRecord: true),
            panel => SettingKind.NamedActions.Write(panel.RowActions),
            (panel, text) => panel with { RowActions = SettingKind.NamedActions.Read(text)!.Value }),
        Of<ListPanel>(
            "listActions",
            "Actions of the list",
            SettingPart.Behaviour,
            new SettingKind.NamedActions(OverRecord: false),
            panel => SettingKind.NamedActions.Write(panel.ListActions),
            (panel, text) => panel with { ListActions = SettingKind.NamedActions.Read(text)!.Value }),
    ];
}
