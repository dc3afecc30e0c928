using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps;

/// <summary>A piece of a page.</summary>
public abstract record Panel
{
    /// <summary>The columns of a page, and the most that a panel takes.</summary>
    public const int Columns = 12;

    /// <summary>The name by which the page's state and formulas refer to it.</summary>
    public required string Name { get; init; }

    /// <summary>Its heading, or a formula for it; what it shows gives it one where null.</summary>
    public string? Heading { get; init; }

    /// <summary>How many of the page's twelve columns it takes.</summary>
    public int Width { get; init; } = Columns;

    /// <summary>It begins a row, whatever room is left beside the one before.</summary>
    public bool NewRow { get; init; }

    /// <summary>Whether it is there: a formula after <c>=</c>, or yes where null.</summary>
    public string? Visible { get; init; }

    /// <summary>
    /// Settings that are computed, by their keys: the formula of each. Where it gives nothing that fits, the setting's own value holds.
    /// </summary>
    public ImmutableDictionary<string, string> Formulas { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>What stands within it; only containers have something.</summary>
    public ImmutableArray<Panel> Panels { get; init; } = [];

    /// <summary>Other panels stand within it.</summary>
    public virtual bool IsContainer => false;

    /// <summary>It is not there until an action opens it.</summary>
    public virtual bool Opens => false;

    /// <summary>The dataset whose fields its settings name; null where it has none.</summary>
    public virtual DatasetId? Of => null;

    /// <summary>Values for the parameters of the query that it shows, by their names: as typed, or formulas after <c>=</c>.</summary>
    public virtual ImmutableDictionary<string, string> QueryValues => ImmutableDictionary<string, string>.Empty;

    /// <summary>The page that opens for a record that is chosen here, by its address; null where none does.</summary>
    public virtual string? RecordPage => null;

    /// <summary>The actions that people choose by name here, and where each stands.</summary>
    public virtual IEnumerable<(ActionPlace Place, NamedAction Action)> Actions => [];

    /// <summary>A record that is chosen here opens in a sheet.</summary>
    public virtual bool OpensRecords => false;

    /// <summary>Its state, from what the page's address says of it; null where its kind has none, or the address says nothing.</summary>
    public virtual PanelState? ReadState(AddressParts address) => null;

    /// <summary>What its state gives to formulas.</summary>
    public virtual IEnumerable<GivenMember> Given(PanelState? state) => [];

    /// <summary>The members that formulas see otherwise in another state.</summary>
    public virtual IEnumerable<string> ChangedMembers(PanelState? state, PanelState? other) => [];

    /// <summary>Whether it looks the same in another state.</summary>
    public virtual bool LooksTheSame(PanelState? state, PanelState? other) => true;

    /// <summary>
    /// The one panel within it that is shown, where it shows one at a time; null where it shows all of them, or none is visible.
    /// </summary>
    public virtual Panel? ShownAlone(PanelState? state, Func<Panel, bool> isVisible) => null;

    /// <summary>It shows the panels within it one at a time.</summary>
    public virtual bool ShowsOneAtATime => false;

    /// <summary>
    /// The member that stands for the record that a setting of it names: what is read of that member is read of that record.
    /// </summary>
    public virtual string? RecordMember => null;

    /// <summary>The names that formulas have for what it holds.</summary>
    public virtual IEnumerable<PanelMember> Members(MemberTypes types) => [];

    /// <summary>The columns that it has beside its dataset's fields.</summary>
    public virtual IEnumerable<FieldName> OwnColumns => [];

    /// <summary>What it lacks, for the builder, beyond what its settings' kinds find.</summary>
    public virtual IEnumerable<AppProblem> Problems(PanelPlace place) => [];

    /// <summary>What kind it is.</summary>
    public PanelKind Kind => PanelKind.Of(GetType());

    /// <summary>It and all that stands within it.</summary>
    public IEnumerable<Panel> All => Panels.IsEmpty ? [this] : Panels.SelectMany(panel => panel.All).Prepend(this);

    /// <summary>A panel among some and those within them, by its name; null where none has it.</summary>
    internal static Panel? Find(ImmutableArray<Panel> among, string name)
    {
        foreach (var panel in among)
        {
            if (panel.Name == name)
            {
                return panel;
            }

            if (Find(panel.Panels, name) is { } inner)
            {
                return inner;
            }
        }

        return null;
    }

    /// <summary>The panel in which one of a name stands, among some and those within them; null where none holds it.</summary>
    internal static Panel? ParentOf(ImmutableArray<Panel> among, string name)
    {
        foreach (var panel in among)
        {
            foreach (var inner in panel.Panels)
            {
                if (inner.Name == name)
                {
                    return panel;
                }
            }

            if (ParentOf(panel.Panels, name) is { } parent)
            {
                return parent;
            }
        }

        return null;
    }

    /// <summary>The panel with what its formulas give.</summary>
    /// <param name="evaluate">A formula's value; null where it is blank or wrong.</param>
    public Panel WithFormulas(Func<string, object?> evaluate)
    {
        ArgumentNullException.ThrowIfNull(evaluate);
        var computed = this;
        foreach (var (key, formula) in Formulas)
        {
            if (
                SettingKind.TextOf(evaluate(formula)) is { } text
                && !Apps.Computed.IsFormula(text)
                && Kind.Find(key)?.Set(computed, text) is Panel changed
            )
            {
                computed = changed;
            }
        }

        return computed;
    }

    /// <summary>The datasets that it names.</summary>
    public IEnumerable<DatasetId> Datasets => Kind.Settings.SelectMany(setting => setting.Kind.Datasets(setting.Get(this))).Distinct();

    /// <summary>Something that it lacks.</summary>
    private protected AppProblem Lacks(string? setting, string message, bool warns = false) => new(null, Name, setting, message, warns);

    /// <summary>The settings that every panel has.</summary>
    internal static ImmutableArray<Setting> Common { get; } =
    [
        SettingsOf<Panel>.Computed(
            "visible",
            "Visible",
            SettingPart.Behaviour,
            panel => panel.Visible,
            (panel, formula) => panel with { Visible = formula }
        ),
        SettingsOf<Panel>.Text(
            "heading",
            "Heading",
            SettingPart.Appearance,
            panel => panel.Heading,
            (panel, text) => panel with { Heading = text }
        ),
        SettingsOf<Panel>.Number(
            "width",
            "Width (of 12)",
            SettingPart.Appearance,
            1,
            Columns,
            panel => panel.Width,
            (panel, number) => panel with { Width = number }
        ),
        SettingsOf<Panel>.Toggle(
            "newRow",
            "Start a new row",
            SettingPart.Appearance,
            panel => panel.NewRow,
            (panel, on) => panel with { NewRow = on }
        ),
    ];
}

/// <summary>Where a panel stands.</summary>
/// <param name="App">The app.</param>
/// <param name="Page">The page.</param>
/// <param name="Catalogue">The datasets.</param>
/// <param name="Dataset">The dataset whose fields the panel's settings name; null where it has none.</param>
public sealed record PanelPlace(AppDefinition App, Page Page, DatasetCatalogue Catalogue, Dataset? Dataset);

/// <summary>A name that a panel gives to formulas: <c>vessels.selected</c>.</summary>
/// <param name="Name">The name after the dot.</param>
/// <param name="Type">What its values are.</param>
/// <param name="FromContent">It is known once the panel's own content is, and not from the address alone.</param>
public sealed record PanelMember(string Name, FormulaType Type, bool FromContent = false);

/// <summary>The types that panels' members have, as far as one person's rights reach.</summary>
public sealed class MemberTypes(DatasetCatalogue catalogue, DatasetShapes shapes)
{
    /// <summary>A record of a dataset; null where there is no such dataset.</summary>
    public FormulaType.Record? Record(DatasetId? id) =>
        Dataset(id) is { } dataset ? new FormulaType.Record(shapes.Of(dataset).Shape) : null;

    /// <summary>A dataset; null where there is none.</summary>
    public Dataset? Dataset(DatasetId? id) => id is { } known ? catalogue.Find(known) : null;
}
