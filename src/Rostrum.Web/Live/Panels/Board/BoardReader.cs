using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Moving;

namespace Rostrum.Web.Live.Panels.Board;

internal sealed class BoardReader() : PanelReader<BoardPanel>("Board")
{
    private const int MostColumns = 40;
    private const int MostCards = 2_000;
    private const int MostCells = 1_000;

    protected override async Task<object?> ReadAsync(PageRun run, BoardPanel panel, CancellationToken cancellation) =>
        await ReadBoardAsync(run, panel, cancellation);

    private static async Task<BoardView> ReadBoardAsync(PageRun run, BoardPanel panel, CancellationToken cancellation)
    {
        var (view, narrowed) = Begun(run, panel);
        return narrowed is null ? view : await WithCardsAsync(view, narrowed, cancellation);
    }

    // The board before anything is read, and which records are meant; null where that is not known, and then it says why.
    private static (BoardView View, Filter? Narrowed) Begun(PageRun run, BoardPanel panel)
    {
        var dataset = panel.Shown(run.DatasetOf(panel));
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        if (because is null && (panel.By is not { } by || !BoardPanel.Suits(dataset, by)))
        {
            because = "Choose the field whose values are the columns.";
        }

        var view = new BoardView
        {
            Run = run,
            Panel = panel,
            Dataset = dataset,
            Waiting = because,
        };
        return (view, because is null ? narrowed : null);
    }

    private static async Task<BoardView> WithCardsAsync(BoardView view, Filter narrowed, CancellationToken cancellation)
    {
        var (run, panel, dataset) = (view.Run, view.Panel, view.Dataset);
        var by = panel.By!.Value;
        var reading = new CardReading(view);
        var counting = run.Gate.SummariseAsync(
            run.App.Datasets,
            new SummaryRequest(dataset.Id, [by], [null, panel.TotalField is { } total ? new FieldTotal(total, Total.Sum) : null], narrowed)
            {
                Search = view.State.Search,
                Names = run.Names,
                Now = run.Context.Now,
                Limit = MostColumns,
            },
            run.Grants,
            cancellation
        );
        var request = reading.Request(narrowed) with
        {
            Each = new EachOf(by, panel.RowsPerPage + 1),
            Window = new PageWindow.FromStart(0, MostCards),
        };
        var asked = run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation);
        var lanes = panel.Lanes is { } lane ? dataset.Find(lane) : null;
        var cells = lanes is null ? null : CellsAsync(view, lanes.Name, narrowed, cancellation);
        var values = await ColumnValuesAsync(run, dataset, by, cancellation);
        var result = await asked;
        if (result is not ReadResult.Rows rows || await counting is not SummaryResult.Groups groups)
        {
            return view with
            {
                Result = (result, await counting) switch
                {
                    (not ReadResult.Rows, _) => result,
                    (_, SummaryResult.Denied denied) => new ReadResult.Denied(denied.Reason),
                    (_, SummaryResult.Failed failed) => new ReadResult.Failed(failed.Failure),
                    (_, SummaryResult.Invalid invalid) => new ReadResult.Invalid(invalid.Problem),
                    _ => result,
                },
            };
        }

        var columns = ColumnsOf(view, by, values, groups.Found);
        var rights = await MoveRights.OfAsync(run, panel, dataset, Moved(panel), rows.Records, cancellation);
        var cards = rows
            .Records.Select(record => (Record: record, Card: reading.Card(record, rights)))
            .ToLookup(pair => ValueKey(pair.Record[by]), pair => pair);
        ImmutableArray<ImmutableArray<(Record Record, BoardCard Card)>> byColumn =
        [
            .. columns.Select(column => cards[ValueKey(column.Value)].Take(panel.RowsPerPage).ToImmutableArray()),
        ];
        var (inLanes, isCut) = cells is null ? ([], false) : await cells;
        return view with
        {
            Columns = columns,
            Result = rows with { Count = new RecordCount(columns.Sum(column => column.Count), CountKind.Exact) },
            Stays = rights.Because,
            LanesAreCut = isCut,
            Lanes = lanes is not null
                ? LanesOf(view, lanes, columns, byColumn, inLanes)
                :
                [
                    new BoardLane(
                        null,
                        null,
                        [.. byColumn.Select((column, at) => new BoardCell([.. column.Select(pair => pair.Card)], columns[at].Count))]
                    ),
                ],
        };
    }

    // How many cards there are in each lane and column; and whether there are more of those than are shown.
    private static async Task<(ImmutableArray<SummaryGroup> Groups, bool IsCut)> CellsAsync(
        BoardView view,
        FieldName lanes,
        Filter narrowed,
        CancellationToken cancellation
    )
    {
        var request = new SummaryRequest(view.Dataset.Id, [lanes, view.Panel.By!.Value], [null], narrowed)
        {
            Search = view.State.Search,
            Names = view.Run.Names,
            Now = view.Run.Context.Now,
            Limit = MostCells,
        };
        return
            await view.Run.Gate.SummariseAsync(view.Run.App.Datasets, request, view.Run.Grants, cancellation) is SummaryResult.Groups groups
            ? (groups.Found, groups.IsCut)
            : ([], false);
    }

    /// <summary>The cards that follow in one column, and in one lane of it: each is named by its value as an address has it.</summary>
    public static async Task<MoreCards?> MoreAsync(
        PageRun run,
        BoardPanel panel,
        string column,
        string? lane,
        int shown,
        CancellationToken cancellation
    )
    {
        var (view, narrowed) = Begun(run, panel);
        if (narrowed is null || shown < 0 || Is(view.Dataset, panel.By!.Value, column) is not { } inColumn)
        {
            return null;
        }

        var reading = new CardReading(view);
        var filter = Filter.Both(narrowed, inColumn);
        if (lane is not null && panel.Lanes is { } lanes)
        {
            if (view.Dataset.Find(lanes) is null || Is(view.Dataset, lanes, lane) is not { } inLane)
            {
                return null;
            }

            filter = Filter.Both(filter, inLane);
        }

        var request = reading.Request(filter) with { Window = new PageWindow.FromStart(shown, panel.RowsPerPage) };
        var result = await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation);
        if (result is not ReadResult.Rows rows)
        {
            return new MoreCards(view, column, lane, [], shown) { Problem = run.Because(result) };
        }

        var rights = await MoveRights.OfAsync(run, panel, view.Dataset, Moved(panel), rows.Records, cancellation);
        return new MoreCards(
            view,
            column,
            lane,
            [.. rows.Records.Select(record => reading.Card(record, rights))],
            rows.HasLater ? shown + rows.Records.Length : null
        );
    }

    private static Filter.OneOf? Is(Dataset dataset, FieldName field, string text) =>
        text == FieldCondition.Blank ? new Filter.OneOf(field, [null])
        : FieldText.FromCanonical(dataset[field].Type, text) is Parsed.Value { Is: var value } ? new Filter.OneOf(field, [value])
        : null;

    private static FieldName[] Moved(BoardPanel panel) => [panel.By!.Value];

    // The values that there can be: options, yes and no, or the records to which the relation leads. Null where those are only found.
    private static async Task<ImmutableArray<(object Value, string Label)>> ColumnValuesAsync(
        PageRun run,
        Dataset dataset,
        FieldName by,
        CancellationToken cancellation
    )
    {
        var field = dataset[by];
        if (dataset.RelationOf(by) is not { } relation)
        {
            return field.Type switch
            {
                FieldType.Choice choice => [.. choice.Options.Select(option => ((object)option, field.LabelOf(option)))],
                _ => [(true, run.Format.Display(field, true)), (false, run.Format.Display(field, false))],
            };
        }

        var request = new ReadRequest(relation.Target)
        {
            Fields = [relation.TargetField],
            Window = new PageWindow.FromStart(0, MostColumns),
            Names = run.Names,
            Now = run.Context.Now,
        };
        return await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation) is ReadResult.Rows rows
            ?
            [
                .. rows
                    .Records.Where(record => record.Has(relation.TargetField) && record[relation.TargetField] is not (null or Unreadable))
                    .Select(record => (record[relation.TargetField]!, record.Title))
                    .OrderBy(pair => pair.Title, StringComparer.Create(run.Format.Culture, ignoreCase: true)),
            ]
            : [];
    }

    private static ImmutableArray<BoardColumn> ColumnsOf(
        BoardView view,
        FieldName by,
        ImmutableArray<(object Value, string Label)> values,
        ImmutableArray<SummaryGroup> groups
    )
    {
        var (panel, dataset, format) = (view.Panel, view.Dataset, view.Run.Format);
        var field = dataset[by];
        var counts = groups.ToDictionary(group => ValueKey(group.Values[0]));
        var others = groups
            .Where(group => values.All(known => !Equals(ValueKey(known.Value), ValueKey(group.Values[0]))))
            .Select(group =>
                (
                    group.Values[0],
                    group.Titles[0] ?? (group.Values[0] is null ? format.Without(field) : format.Display(field, group.Values[0]))
                )
            );
        return
        [
            .. values
                .Select(known => ((object?)known.Value, known.Label))
                .Concat(others)
                .Select(column =>
                {
                    var (value, label) = column;
                    var group = counts.GetValueOrDefault(ValueKey(value));
                    var option = value as string;
                    return new BoardColumn(
                        value,
                        label,
                        (long)(group?.Numbers[0] ?? 0),
                        panel.TotalField is { } total
                            ? format.Display(dataset[total] with { Type = new FieldType.Number() }, group?.Numbers[1] ?? 0)
                            : null,
                        panel.Most.TryGetValue(label, out var most) || (option is not null && panel.Most.TryGetValue(option, out most))
                            ? most
                            : null,
                        option is null ? null : field.Look(option)?.Colour,
                        value is null ? null : FieldText.ToCanonical(field.Type, value)
                    );
                }),
        ];
    }

    // Each lane that has cards, with what was read of each column; the others come into view.
    private static ImmutableArray<BoardLane> LanesOf(
        BoardView view,
        Field lanes,
        ImmutableArray<BoardColumn> columns,
        ImmutableArray<ImmutableArray<(Record Record, BoardCard Card)>> cards,
        ImmutableArray<SummaryGroup> groups
    )
    {
        var format = view.Run.Format;
        var options = lanes.Type is FieldType.Choice choice ? choice.Options : [];
        var counts = groups.ToDictionary(group => (ValueKey(group.Values[0]), ValueKey(group.Values[1])), group => (long)group.Numbers[0]!);
        var found = groups
            .DistinctBy(group => ValueKey(group.Values[0]))
            .Select(group => (Value: group.Values[0], Label: group.Titles[0] ?? LabelOf(group.Values[0])))
            .OrderBy(lane => lane.Value is null)
            .ThenBy(lane => lane.Value is string option ? options.IndexOf(option) : 0)
            .ThenBy(lane => lane.Label, StringComparer.Create(format.Culture, ignoreCase: true));
        return
        [
            .. found.Select(lane => new BoardLane(
                lane.Label,
                lane.Value is null or Unreadable ? null : FieldText.ToCanonical(lanes.Type, lane.Value),
                [
                    .. columns.Select(
                        (column, at) =>
                            new BoardCell(
                                [
                                    .. cards[at]
                                        .Where(pair => Equals(ValueKey(pair.Record[lanes.Name]), ValueKey(lane.Value)))
                                        .Select(pair => pair.Card),
                                ],
                                counts.GetValueOrDefault((ValueKey(lane.Value), ValueKey(column.Value)))
                            )
                    ),
                ]
            )),
        ];

        string LabelOf(object? value) =>
            value switch
            {
                null => format.Without(lanes),
                string option when lanes.Type is FieldType.Choice => lanes.LabelOf(option),
                _ => format.Display(lanes, value),
            };
    }

    // A blank is a value as well.
    private static (bool, object?) ValueKey(object? value) => (value is null, value);
}
