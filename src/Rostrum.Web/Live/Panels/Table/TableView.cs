using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

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

    public bool HasMarkup => Relation is null && ValueMarkup.IsFor(Field);
}

/// <summary>One part of the sentence that says which records are shown.</summary>
internal sealed record SentencePart(string Field, string Label, string Says);

/// <summary>Everything that the table's partial shows.</summary>
internal sealed record TableView
{
    public required PageRun Run { get; init; }

    public string Path => Run.Path;

    public RecordFormat Format => Run.Format;

    public required TablePanel Panel { get; init; }

    public required Dataset Dataset { get; init; }

    public required Grant Grant { get; init; }

    public required ListState State { get; init; }

    public required ImmutableArray<TableColumn> Columns { get; init; }

    public required ImmutableArray<SentencePart> Sentence { get; init; }

    public required ImmutableArray<string> Ignored { get; init; }

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

    public string? EarlierAddress => Rows is not { HasEarlier: true } rows || State.Page == 1 ? null
        : State.Page == 2 || rows.First is null ? Address(State.Closed() with { Page = State.Page - 1, After = null, Before = null })
        : Address(State.Closed() with { Page = State.Page - 1, After = null, Before = rows.First.ToText() });

    public string? LaterAddress => Rows is not { HasLater: true } rows ? null
        : Address(State.Closed() with { Page = State.Page + 1, Before = null, After = rows.Last?.ToText() });

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
