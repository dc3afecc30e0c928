using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.WebUtilities;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>A column as it is shown: a field, or the title of the record to which the field refers.</summary>
internal sealed record TableColumn(Field Field, Relation? Relation, string Label)
{
    /// <summary>Only this table has it.</summary>
    public bool IsOwn { get; init; }

    /// <summary>How wide it is, in characters; as wide as its values where null.</summary>
    public string? Width { get; init; }

    public string? Class => Relation is not null ? null : Field.Type.IsNumeric ? "num" : Field.Type.IsTemporal ? "when" : null;

    public string Display(Record record, RecordFormat format) =>
        (Relation is null ? null : record.TitleOf(Relation.Name)) ?? format.Display(Field, record[Field.Name]);

    /// <summary>The column as a request asks for it, where only this table has it.</summary>
    public ComputedColumn Computed => new(Field.Name, Field.Formula!);

    public bool HasMarkup => Relation is null && ValueMarkup.IsFor(Field);
}

/// <summary>One part of the sentence that says which records are shown.</summary>
internal sealed record SentencePart(string Field, string Label, string Says);

/// <summary>Everything that the table's partial shows.</summary>
internal sealed record TableView : ICanBeAway, IShowsRecords
{
    public required PageRun Run { get; init; }

    public string Path => Run.Path;

    public RecordFormat Format => Run.Format;

    public required TablePanel Panel { get; init; }

    public required Dataset Dataset { get; init; }

    public required Grant Grant { get; init; }

    public required ListState State { get; init; }

    public required ImmutableArray<TableColumn> Columns { get; init; }

    /// <summary>The columns that there are, those among them that the person has hidden.</summary>
    public required ImmutableArray<TableColumn> AllColumns { get; init; }

    /// <summary>What the person has otherwise than the builder.</summary>
    public required PersonalTable Personal { get; init; }

    /// <summary>What can be done with each record.</summary>
    public required ActionOffers Offers { get; init; }

    public required ImmutableArray<ActionOffer> ListOffers { get; init; }

    public required ImmutableArray<ActionOffer> CheckedOffers { get; init; }

    public required TableTones Tones { get; init; }

    /// <summary>What stands under columns, as people read it.</summary>
    public required ImmutableDictionary<FieldName, string> Totals { get; init; }

    /// <summary>Its records can be changed and deleted at all.</summary>
    public required bool CanBeChanged { get; init; }

    public bool MayChangeChecked => CanBeChanged && Grant.Allows(Verbs.Update);

    public bool MayDeleteChecked => CanBeChanged && Grant.Allows(Verbs.Delete);

    /// <summary>Rows are checked for something.</summary>
    public bool Checks => Panel.Checkable && !Dataset.Key.IsEmpty && (MayChangeChecked || MayDeleteChecked || !CheckedOffers.IsEmpty || IsWatched);

    /// <summary>Other panels look at what is checked.</summary>
    public bool IsWatched => !Run.Graph.Affected([new PageValue(Panel.Name, "checked")]).IsEmpty;

    public int ColumnCount => Columns.Length + (Checks ? 1 : 0) + (Offers.IsEmpty ? 0 : 1);

    public string RowsClass => (Personal.Rows.Length > 0 ? Personal.Rows : Panel.Rows) is { Length: > 0 } rows ? $"rows-{rows}" : "";

    /// <summary>The page that opens for a record, up to its key; null where none does.</summary>
    public string? RecordPage => Run.RecordPage(Panel);

    public bool IsAway => Panel.Vanishes && !IsNarrowed && State.Page == 1 && (Waiting is not null || Rows is { Records.IsEmpty: true });

    public required ImmutableArray<SentencePart> Sentence { get; init; }

    public required ImmutableArray<string> Ignored { get; init; }

    /// <summary>What was asked for.</summary>
    public required ReadRequest Request { get; init; }

    public required ReadResult Result { get; init; }

    /// <summary>What is to be chosen elsewhere before there are rows; null where nothing is.</summary>
    public string? Waiting { get; init; }

    /// <summary>A record that was just saved, to be marked, and shown on top where this page of the list does not have it.</summary>
    public RecordKey? Marked { get; init; }

    public Record? BroughtIntoView { get; init; }

    public ReadResult.Rows? Rows => Result as ReadResult.Rows;

    public bool IsNarrowed => State.Search.Length > 0 || !Sentence.IsEmpty;

    public string Address(ListState state) => Path + Page(state).ToQuery();

    /// <summary>The address without what people narrowed this table to.</summary>
    public string ShowAllAddress => Address(new ListState());

    public PageState Page(ListState state) => Run.State.With(Panel.Name, state);

    public bool AddsRecords => Panel.AddsRecords && Waiting is null && Dataset.ReadOnlyBecause is null && Grant.Allows(Verbs.Create);

    public string CountText => Rows?.Count is { } count ? $"{Amount(count)} {(count.Number == 1 ? Dataset.RecordLabel : Dataset.LabelInSentence)}" : "";

    public string RangeText
    {
        get
        {
            if (Rows is not { Records.Length: > 0 } rows)
            {
                return "";
            }

            var first = ((long)(State.Page - 1) * Panel.PageSize) + 1;
            var range = $"{Whole(first)}–{Whole(first + rows.Records.Length - 1)}";
            return rows.Count is { } count ? $"{range} of {Amount(count)}" : range;
        }
    }

    public string? EarlierAddress => Rows?.Earlier(State) is { } earlier ? Address(earlier) : null;

    public string? LaterAddress => LaterState is { } later ? Address(later) : null;

    /// <summary>There is something to say below the rows.</summary>
    public bool IsPaged => State.Page > 1 || EarlierAddress is not null || (LaterState is not null && !Panel.Scrolls) || Dataset.ReadOnlyBecause is not null;

    /// <summary>The list a page further; null where it ends here.</summary>
    public ListState? LaterState => Rows?.Later(State);

    public string DownloadAddress => Page(State.Closed().FromStart() with { Checked = [] }).At(Path, ("handler", "Download"), ("panel", Panel.Name));

    /// <summary>What is narrowed or ordered can be kept by a name.</summary>
    public bool CanBeKept => IsNarrowed || State.Sort is not null;

    /// <summary>Something is otherwise than built.</summary>
    public bool IsPersonal => !Personal.Hidden.IsEmpty || !Personal.Widths.IsEmpty || Personal.Rows.Length > 0;

    /// <summary>The list as it was kept.</summary>
    public string KeptAddress(SavedFilter filter) => Address(ListState.Read(QueryHelpers.ParseQuery(filter.Query)) with { Checked = State.Checked });

    public SortBy? SortOf(TableColumn column) => (State.Sort ?? (Panel.Sort is [var usual, ..] ? usual : null)) is { } sort && sort.Field == column.Field.Name ? sort : null;

    public string SortAddress(TableColumn column) =>
        Address(State.FromStart().Closed() with { Sort = new SortBy(column.Field.Name, Descending: SortOf(column) is { Descending: false }) });

    private string Amount(RecordCount count) => count.Kind switch
    {
        CountKind.About => $"about {Whole(Rounded(count.Number))}",
        CountKind.MoreThan => $"more than {Whole(count.Number)}",
        _ => Whole(count.Number),
    };

    // An estimate with seven figures claims more than it knows.
    private static long Rounded(long number)
    {
        var unit = (long)Math.Pow(10, Math.Max(0, Math.Floor(Math.Log10(Math.Max(1, number))) - 2));
        return number / unit * unit;
    }

    private string Whole(long number) => number.ToString("#,##0", Format.Culture);
}
