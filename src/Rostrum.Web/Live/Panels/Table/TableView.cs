using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Html;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Actions;
using Rostrum.Web.Live.Panels.Table.Grid;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>A column as it is shown: a field, or the title of the record to which the field refers.</summary>
internal sealed record TableColumn(Field Field, Relation? Relation, string Label)
{
    /// <summary>Only this table has it.</summary>
    public bool IsOwn { get; init; }

    /// <summary>How wide it is, in characters; as wide as its values where null.</summary>
    public int? Width { get; init; }

    public string? Class =>
        Relation is not null ? null
        : Field.Type.IsNumeric ? "num"
        : Field.Type.IsTemporal ? "when"
        : null;

    public string Display(Record record, RecordFormat format) =>
        (Relation is null ? null : record.TitleOf(Relation.Name)) ?? format.Display(Field, record[Field.Name]);

    /// <summary>The column as a request asks for it, where only this table has it.</summary>
    public ComputedColumn Computed => new(Field.Name, Field.Formula!);

    /// <summary>A value in its format's mark-up. That of an option is made once for all rows.</summary>
    public IHtmlContent Markup(object? value, string text)
    {
        if (value is not string option || Field.Format is not DisplayFormat.Options)
        {
            return ValueMarkup.Of(Field, value, text);
        }

        if (!_options.TryGetValue(option, out var markup))
        {
            _options.Add(option, markup = ValueMarkup.Of(Field, value, text));
        }

        return markup;
    }

    private readonly Dictionary<string, IHtmlContent> _options = [];

    public bool HasMarkup => Relation is null && ValueMarkup.IsFor(Field);
}

/// <summary>One part of the sentence that says which records are shown.</summary>
internal sealed record SentencePart(string Field, string Label, string Says);

/// <summary>Everything that the table's partial shows.</summary>
internal sealed record TableView : ListView
{
    public required TablePanel Panel { get; init; }

    public override ListPanel List => Panel;

    public override bool IsNarrowed => base.IsNarrowed || State.Conditions.Keys.Any(name => Dataset.Find(new FieldName(name)) is not null);

    public required ImmutableArray<TableColumn> Columns { get; init; }

    /// <summary>The columns that there are, those among them that the person has hidden.</summary>
    public required ImmutableArray<TableColumn> AllColumns { get; init; }

    /// <summary>What the person has otherwise than the builder.</summary>
    public required PersonalTable Personal { get; init; }

    /// <summary>The view that is shown; none where null.</summary>
    public SavedView? View { get; init; }

    /// <summary>What can be done with each record.</summary>
    public required ActionOffers Offers { get; init; }

    public required ImmutableArray<ActionOffer> CheckedOffers { get; init; }

    public required TableHighlights Highlights { get; init; }

    /// <summary>What stands under columns, as people read it.</summary>
    public ImmutableDictionary<FieldName, string> Totals { get; init; } = ImmutableDictionary<FieldName, string>.Empty;

    /// <summary>Its records can be changed and deleted at all.</summary>
    public required bool CanBeChanged { get; init; }

    public bool MayChangeChecked => CanBeChanged && Grant.Allows(Verbs.Update);

    public bool MayDeleteChecked => CanBeChanged && Grant.Allows(Verbs.Delete);

    /// <summary>Rows are checked for something.</summary>
    public bool Checks =>
        !Run.IsPublic
        && Panel.Checkboxes
        && !Dataset.Key.IsEmpty
        && (MayChangeChecked || MayDeleteChecked || !CheckedOffers.IsEmpty || IsWatched);

    /// <summary>Other panels look at what is checked.</summary>
    public bool IsWatched => !Run.Graph.Affected([new PageValue(Panel.Name, "checked")]).IsEmpty;

    public int ColumnCount =>
        Columns.Length + (Checks ? 1 : 0) + (Run.Editing is null ? 0 : 1) + (Offers.IsEmpty ? 0 : 1) + (Grid is null ? 0 : 1);

    public Density? Density => Personal.Density ?? Panel.Density;

    public string DensityClass => Density is { } density ? $"rows-{Words.Of(density)}" : "";

    /// <summary>A person may narrow it by conditions.</summary>
    public bool AllowsFiltering => Panel.AllowFiltering && Grant.Allows(Verbs.View) && Waiting is null;

    /// <summary>Where the choices of a field are asked for, up to its name; without one, the fields to filter by.</summary>
    public string FilterAddress => Page(State.Closed()).At(Run.Path, ("handler", "Filter"), ("panel", Panel.Name)) + "&field=";

    public ImmutableArray<SentencePart> Sentence { get; init; } = [];

    public required ImmutableArray<string> Ignored { get; init; }

    /// <summary>What can be typed into it, and what was; null where nothing can.</summary>
    public GridView? Grid { get; init; }

    /// <summary>The only rows that are drawn, by their keys; all where null.</summary>
    public IReadOnlySet<string>? Only { get; init; }

    /// <summary>What was asked for.</summary>
    public required ReadRequest Request { get; init; }

    /// <summary>A record that was just saved, to be marked, and shown on top where this page of the list does not have it.</summary>
    public RecordKey? Marked { get; init; }

    public Record? BroughtIntoView { get; init; }

    /// <summary>Where all that it shows is downloaded.</summary>
    /// <param name="format">As what.</param>
    /// <param name="headings">What stands over its columns: blank for their labels, <c>names</c> for the fields’ names.</param>
    public string DownloadAddress(string format, string headings = "") =>
        Whole(("handler", "Download"), ("panel", Panel.Name), ("format", format), ("headings", headings));

    /// <summary>Rows of files may become records of it.</summary>
    public bool MayImport =>
        Panel.AllowImport
        && (Run.IsLive || Run.Editing is not null)
        && Dataset.ReadOnlyBecause is null
        && Run.Writing.ReadOnlyBecause is null
        && (Grant.Verbs & (Verbs.Create | Verbs.Update)) != Verbs.None;

    /// <summary>Where a file is chosen.</summary>
    public string ImportAddress => Page(State.Closed()).At(Run.Path, ("handler", "ImportRows"), ("panel", Panel.Name));

    /// <summary>Where all that it shows is printed.</summary>
    public string PrintAddress => Whole(("handler", "Print"), ("panel", Panel.Name));

    private string Whole(params (string, string)[] asked) => Page(State.Closed().FromStart() with { Checked = [] }).At(Run.Path, asked);

    /// <summary>It is otherwise than built, so that this can be kept as a view.</summary>
    public bool CanBeKept => IsNarrowed || !State.Sort.IsEmpty || !Personal.Hidden.IsEmpty || Personal.Density is not null;

    /// <summary>The views to choose from: those for everybody, then the person's own.</summary>
    public IEnumerable<(SavedView View, bool IsOwn)> Views =>
        [.. Panel.Views.Select(view => (view, false)), .. Personal.Views.Select(view => (view, true))];

    /// <summary>Something is otherwise than built.</summary>
    public bool IsPersonal => !Personal.Hidden.IsEmpty || !Personal.Widths.IsEmpty || Personal.Density is not null;

    /// <summary>The list as a view has it.</summary>
    public string AddressOf(SavedView view) => Address(PageAddress.ReadList(view.Query) with { Checked = State.Checked, View = view.Name });

    /// <summary>The list as it was built.</summary>
    public string AddressAsBuilt => Address(new ListState { Checked = State.Checked });

    private ImmutableArray<SortBy> Sorted => _sorted ??= State.Sort.IsEmpty ? [.. Panel.Sort.Take(1)] : State.Sort;

    private ImmutableArray<SortBy>? _sorted;

    public SortBy? SortOf(TableColumn column) => Sorted.FirstOrDefault(sort => sort.Field == column.Field.Name);

    /// <summary>The column's place in the order, from 1, where it is ordered by several.</summary>
    public int? SortPlace(TableColumn column) => Sorted.Length > 1 && SortOf(column) is { } sort ? Sorted.IndexOf(sort) + 1 : null;

    /// <summary>The list ordered by a column, from its start.</summary>
    public string SortAddress(TableColumn column) => Ordered([Turned(column)]);

    /// <summary>The list ordered by a column within the order that it has.</summary>
    public string FurtherSortAddress(TableColumn column) =>
        Ordered(SortOf(column) is { } sort ? Sorted.Replace(sort, Turned(column)) : Sorted.Add(Turned(column)));

    private SortBy Turned(TableColumn column) => new(column.Field.Name, Descending: SortOf(column) is { Descending: false });

    private string Ordered(ImmutableArray<SortBy> sort) => Address((_fromStart ??= State.FromStart().Closed()) with { Sort = sort });

    private ListState? _fromStart;

    /// <summary>The fields by which the list can be narrowed beside those of its columns.</summary>
    public IEnumerable<Field> OtherFields =>
        Dataset.Fields.Where(other =>
            !other.Hidden
            && other.Type.IsFilterable
            && Grant.Readable.Has(other.Name)
            && !IsFilteredBy(other)
            && AllColumns.All(column => column.Field.Name != other.Name)
        );

    /// <summary>The list is narrowed by a field already.</summary>
    public bool IsFilteredBy(Field field) => State.Conditions.ContainsKey(field.Name.Value);
}
