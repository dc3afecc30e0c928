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
    /// <summary>The dataset.</summary>
    public required DatasetId Dataset { get; init; }

    /// <summary>Whose records these are: a formula such as <c>vessels.selected.defects</c>; all where null.</summary>
    public string? RelatedTo { get; init; }

    /// <summary>Which of them: a condition over each record and the page; all where null.</summary>
    public string? Filter { get; init; }

    /// <summary>Values for the parameters of the query that it shows, by their names.</summary>
    public ImmutableDictionary<string, string> Parameters { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override ImmutableDictionary<string, string> QueryValues => Parameters;

    /// <summary>The order until a person chooses another.</summary>
    public ImmutableArray<SortBy> Sort { get; init; } = [];

    /// <summary>What this panel calls fields otherwise than their dataset does. All else is inherited.</summary>
    public ImmutableArray<LabelOverride> Labels { get; init; } = [];

    /// <summary>The fields of the record's sheet, in order.</summary>
    public ImmutableArray<FieldName> SheetFields { get; init; } = [];

    /// <summary>Records a page.</summary>
    public int RowsPerPage { get; init; } = 50;

    /// <summary>What follows a page comes when one scrolls there, and not by a button.</summary>
    public bool ContinuousScrolling { get; init; }

    /// <summary>It is not there while it has no records.</summary>
    public bool HideWhenEmpty { get; init; }

    /// <summary>People can search it.</summary>
    public bool Searchable { get; init; } = true;

    /// <summary>New records can be added here by those who may.</summary>
    public bool AllowAdding { get; init; } = true;

    /// <summary>What happens to a record that is chosen.</summary>
    public RowChoice OnChoice { get; init; }

    /// <summary>The page that opens for a chosen record, by its address.</summary>
    public string ChoicePage { get; init; } = "";

    /// <summary>What can be done with each record.</summary>
    public ImmutableArray<NamedAction> RowActions { get; init; } = [];

    /// <summary>What can be done here.</summary>
    public ImmutableArray<NamedAction> ListActions { get; init; } = [];

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override string? RecordPage => OnChoice is RowChoice.Page ? ChoicePage : null;

    /// <inheritdoc/>
    public override IEnumerable<(ActionPlace Place, NamedAction Action)> Actions =>
        [.. ListActions.Select(action => (ActionPlace.List, action)), .. RowActions.Select(action => (ActionPlace.Record, action))];

    /// <summary>The fields that change when a record is moved about in it; none where records are not.</summary>
    public virtual IEnumerable<FieldName> MovedFields => [];

    /// <summary>The dataset as this panel shows it.</summary>
    public Dataset Shown(Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        return LabelOverride.Apply(Labels, dataset);
    }

    /// <inheritdoc/>
    public override bool OpensRecords => OnChoice is RowChoice.Sheet;

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
            yield return Lacks(
                "choicePage",
                address.Length == 0 ? "A chosen row opens a page: choose which."
                    : place.App.Find(address) is { } known
                        ? $"A chosen row opens the page “{known.Name}”, which has no parameter for a {place.Dataset?.RecordLabel}."
                    : $"A chosen row opens the page “{address}”, which is not there."
            );
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
        SettingsOf<ListPanel>.Dataset(panel => panel.Dataset, (panel, dataset) => panel with { Dataset = dataset }),
        SettingsOf<ListPanel>.QueryParameters(panel => panel.Parameters, (panel, values) => panel with { Parameters = values }),
        SettingsOf<ListPanel>.RelatedTo(panel => panel.RelatedTo, (panel, formula) => panel with { RelatedTo = formula }),
        SettingsOf<ListPanel>.Filter("Filter", panel => panel.Filter, (panel, formula) => panel with { Filter = formula }),
        Of<ListPanel>(
            "sort",
            "Sort by",
            SettingPart.Content,
            new SettingKind.OneField(),
            panel => panel.Sort is [var sort, ..] ? (sort.Descending ? "-" : "") + sort.Field : "",
            (panel, text) =>
                panel with
                {
                    Sort =
                        text.Length == 0
                            ? []
                            : [text[0] == '-' ? new SortBy(new FieldName(text[1..]), Descending: true) : new SortBy(new FieldName(text))],
                }
        ) with
        {
            Help = "Until a person sorts otherwise.",
        },
        SettingsOf<ListPanel>.Number(
            "rowsPerPage",
            "Rows per page",
            SettingPart.Content,
            1,
            500,
            panel => panel.RowsPerPage,
            (panel, number) => panel with { RowsPerPage = number }
        ),
    ];

    /// <summary>The settings that say what happens.</summary>
    internal static ImmutableArray<Setting> Behaviour { get; } =
    [
        SettingsOf<ListPanel>.Choice(
            "onChoice",
            "When a row is chosen",
            SettingPart.Behaviour,
            [
                (RowChoice.Sheet, "open it in a sheet"),
                (RowChoice.Select, "select it"),
                (RowChoice.Page, "open a page"),
                (RowChoice.Nothing, "do nothing"),
            ],
            panel => panel.OnChoice,
            (panel, choice) => panel with { OnChoice = choice }
        ) with
        {
            Help = "Formulas read it as this panel's name and .selected",
        },
        SettingsOf<ListPanel>.Named(
            "choicePage",
            "Page",
            SettingPart.Behaviour,
            NamedThing.Page,
            panel => panel.ChoicePage,
            (panel, text) => panel with { ChoicePage = text }
        ) with
        {
            Help = "A page with a parameter for this kind of record.",
        },
        SettingsOf<ListPanel>.Fields(
            "sheetFields",
            "Sheet fields",
            panel => panel.SheetFields,
            (panel, names) => panel with { SheetFields = names }
        ),
        SettingsOf<ListPanel>.Toggle(
            "searchable",
            "Search",
            SettingPart.Behaviour,
            panel => panel.Searchable,
            (panel, on) => panel with { Searchable = on }
        ),
        SettingsOf<ListPanel>.Toggle(
            "allowAdding",
            "Allow adding",
            SettingPart.Behaviour,
            panel => panel.AllowAdding,
            (panel, on) => panel with { AllowAdding = on }
        ),
        SettingsOf<ListPanel>.Toggle(
            "continuousScrolling",
            "Continuous scrolling",
            SettingPart.Behaviour,
            panel => panel.ContinuousScrolling,
            (panel, on) => panel with { ContinuousScrolling = on }
        ) with
        {
            Help = "Instead of pages.",
        },
        SettingsOf<ListPanel>.Toggle(
            "hideWhenEmpty",
            "Hide when empty",
            SettingPart.Behaviour,
            panel => panel.HideWhenEmpty,
            (panel, on) => panel with { HideWhenEmpty = on }
        ),
        SettingsOf<ListPanel>.Actions(
            "rowActions",
            "Row actions",
            SettingPart.Behaviour,
            overRecord: true,
            panel => panel.RowActions,
            (panel, actions) => panel with { RowActions = actions }
        ),
        SettingsOf<ListPanel>.Actions(
            "listActions",
            "List actions",
            SettingPart.Behaviour,
            overRecord: false,
            panel => panel.ListActions,
            (panel, actions) => panel with { ListActions = actions }
        ),
    ];
}

/// <summary>What happens to a record that is chosen in a list.</summary>
public enum RowChoice
{
    /// <summary>It opens in a sheet with a form.</summary>
    Sheet,

    /// <summary>It is selected, for other panels to show.</summary>
    Select,

    /// <summary>A page opens for it.</summary>
    Page,

    /// <summary>Nothing.</summary>
    Nothing,
}
