using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Web.Live.Panels.Chart;

namespace Rostrum.Web.Live.Panels.Summary;

/// <summary>Everything that the partial of a summary table shows.</summary>
internal sealed record SummaryView(PageRun Run, SummaryPanel Panel, Dataset Dataset)
{
    /// <summary>Why there is no table; null where there is one.</summary>
    public string? Because { get; init; }

    public SummaryShape? Shape { get; init; }

    public SummaryTable? Table { get; init; }

    /// <summary>The records of the cell that was chosen; null where none was.</summary>
    public GroupRecords? Records { get; init; }

    public SummaryState State => SummaryState.Of(Run.State.Of(Panel.Name));

    public string Id => $"panel-{Panel.Name}";

    public string Says =>
        $"{string.Join(" and ", Shape!.Labels)} by {Wording.InSentence(Shape.Rows.Field.Label)}"
        + (Shape.Columns is { } columns ? $" and {Wording.InSentence(columns.Field.Label)}" : "");

    public string Address(SummaryState state) => Run.Path + Run.State.With(Panel.Name, state).ToQuery();

    /// <summary>The same table in another order: by a measure's total, or by labels again.</summary>
    public string Sorted(int measure) => Address(State with { Sort = State.Sort == measure ? null : measure });

    public string FileAddress => Run.State.At(Run.Path, ("handler", "Summary"), ("panel", Panel.Name));

    /// <summary>How the numbers of a measure are written.</summary>
    public ChartWords Words(int measure) =>
        (
            _words ??= [
                .. (Shape!.Formula is null ? Shape.Measures : new ChartMeasure?[] { null }.AsEnumerable()).Select(one =>
                    ChartWords.Of(Run.Format, Dataset, one, isShare: false)
                ),
            ]
        )[measure];

    private ChartWords[]? _words;

    /// <summary>Where the records of a cell are shown; null where they cannot be.</summary>
    public string? RecordsAddress(SummaryRow row, SummaryHeading? column) =>
        Run.IsPublic
            ? null
            : Address(
                new SummaryState
                {
                    Sort = State.Sort,
                    IsChosen = true,
                    Row = row.Heading is { } heading ? Shape!.Rows.Text(heading.Of.Key) : null,
                    Then = row.Then is { } then ? Shape!.Then!.Text(then.Of.Key) : null,
                    Column = column is null ? null : Shape!.Columns!.Text(column.Of.Key),
                }
            );

    /// <summary>How deep a cell is in colour, in tenths; 0 where cells are not shaded.</summary>
    public int Depth(SummaryRow row, int column)
    {
        if (!Panel.Shaded || row.Heading is null || column == Table!.Columns.Length || row.Cells[column][0] is not { } value)
        {
            return 0;
        }

        var most = row.Then is null ? (_most ??= Most(within: false)) : (_mostWithin ??= Most(within: true));
        return most <= 0 || value <= 0 ? 0 : (int)Math.Ceiling(value / most * 9);
    }

    private decimal? _most;
    private decimal? _mostWithin;

    // The greatest figure of the cells with which one is compared: those of rows, or of the rows within them.
    private decimal Most(bool within) =>
        Table!
            .Rows.Where(row => row.Heading is not null && row.Then is not null == within)
            .SelectMany(row => row.Cells.Take(Table.Columns.Length))
            .Max(cell => cell[0])
        ?? 0;

    /// <summary>The table as lines of a file: its headings, then each row.</summary>
    public IEnumerable<ImmutableArray<string>> Lines()
    {
        var several = Shape!.Labels.Length > 1;
        IEnumerable<string> Of(string column) => Shape.Labels.Select(label => several ? $"{column}, {label}" : column);
        yield return
        [
            Shape.Rows.Field.Label,
            .. Shape.Then is { } then ? new[] { then.Field.Label } : [],
            .. Table!.Columns.SelectMany(column => Of(column.Label)),
            .. Of(Table.Columns.IsEmpty ? Shape.Labels[0] : "All"),
        ];
        foreach (var row in Table.Rows)
        {
            yield return
            [
                row.Heading?.Label ?? "All",
                .. Shape.Then is null ? [] : new[] { row.Then?.Label ?? "All" },
                .. row.Cells.SelectMany(cell => cell.Select(number => number?.ToString(CultureInfo.InvariantCulture) ?? "")),
            ];
        }
    }
}
