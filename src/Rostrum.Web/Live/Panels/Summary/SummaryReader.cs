using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Chart;

namespace Rostrum.Web.Live.Panels.Summary;

internal sealed class SummaryReader() : PanelReader<SummaryPanel>("Summary")
{
    private const int MostGroups = 20_000;

    protected override async Task<object?> ReadAsync(PageRun run, SummaryPanel panel, CancellationToken cancellation) =>
        await ReadSummaryAsync(run, panel, cancellation);

    private static async Task<SummaryView> ReadSummaryAsync(PageRun run, SummaryPanel panel, CancellationToken cancellation)
    {
        var dataset = run.DatasetOf(panel);

        var view = new SummaryView(run, panel, dataset);
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        if (narrowed is null || because is not null)
        {
            return view with { Because = because ?? "These records are not known yet." };
        }

        if (panel.Shape(dataset) is not { } shape)
        {
            return view with { Because = "Choose the fields by which the records are grouped." };
        }

        if (panel.Unmeasured(dataset) is { } lost)
        {
            return view with { Because = lost };
        }

        var (formula, problem) = MeasureFormulas.Of(run, panel);
        if (problem is not null)
        {
            return view with { Because = problem };
        }

        shape = shape with { Formula = formula };
        view = view with { Shape = shape };
        var levels = shape.Levels;
        var read = await Task.WhenAll(levels.Select(level => ReadAsync(run, dataset, shape, level, narrowed, cancellation)));
        if (read.FirstOrDefault(level => level.Because is not null).Because is { } refused)
        {
            return view with { Because = refused };
        }

        var table = SummaryTable.Of(
            shape,
            levels.Zip(read, (level, one) => (level, one.Figures)).ToDictionary(pair => pair.level, pair => pair.Figures),
            view.State.Sort,
            run.Format
        );
        view = view with { Table = table };
        return !view.State.IsChosen || run.IsPublic
            ? view
            : view with
            {
                Records = await RecordsAsync(view, shape, narrowed, cancellation),
            };
    }

    private static async Task<(ImmutableArray<SummaryFigure> Figures, string? Because)> ReadAsync(
        PageRun run,
        Dataset dataset,
        SummaryShape shape,
        SummaryLevel level,
        Filter filter,
        CancellationToken cancellation
    )
    {
        var (rows, then, columns) = (
            level.Rows ? shape.Rows.Columns("rows") : [],
            level.Then ? shape.Then!.Columns("then") : [],
            level.Columns ? shape.Columns!.Columns("columns") : []
        );
        var request = run.Summary(
            dataset,
            [.. rows, .. then, .. columns],
            [.. shape.Measures.Select(measure => measure.Total)],
            filter
        ) with
        {
            Limit = MostGroups,
        };
        KeyTitle Of(SummaryGroup group, int from, int count) =>
            count == 0 ? default : new KeyTitle(Dimension.KeyOf([.. group.Values.Skip(from).Take(count)]), group.Titles[from]);
        var result = await run.Gate.SummariseAsync(run.App.Datasets, request, run.Grants, cancellation);
        return result switch
        {
            SummaryResult.Groups { IsCut: true } => (
                [],
                string.Create(run.Format.Culture, $"There are more than {MostGroups:#,##0} groups: group by less, or narrow the records.")
            ),
            SummaryResult.Groups groups => (
                [
                    .. groups.Found.Select(group => new SummaryFigure(
                        Of(group, 0, rows.Length),
                        Of(group, rows.Length, then.Length),
                        Of(group, rows.Length + then.Length, columns.Length),
                        group.Numbers
                    )),
                ],
                null
            ),
            _ => ([], run.Because(result)),
        };
    }

    private static Task<GroupRecords> RecordsAsync(SummaryView view, SummaryShape shape, Filter narrowed, CancellationToken cancellation)
    {
        var (run, state) = (view.Run, view.State);
        var filter = narrowed;
        var labels = new List<string>();
        void Narrow(Dimension? by, string? text, IEnumerable<SummaryHeading?> headings)
        {
            if (by is not null && text is not null)
            {
                var key = by.Parse(text);
                filter = Filter.Both(filter, by.Is(key, run.Format.Zone));
                labels.Add(
                    headings.FirstOrDefault(heading => heading is not null && Equals(heading.Of.Key, key))?.Label
                        ?? by.Label(key, null, run.Format)
                );
            }
        }

        Narrow(shape.Rows, state.Row, view.Table!.Rows.Select(row => row.Heading));
        Narrow(shape.Then, state.Then, view.Table.Rows.Select(row => row.Then));
        Narrow(shape.Columns, state.Column, view.Table.Columns);
        var records = new GroupRecords(view.Dataset, labels.Count == 0 ? "All" : string.Join(" · ", labels))
        {
            Panel = view.Id,
            Close = view.Address((SummaryState)state.Closed(false)),
        };
        return records.ReadAsync(run, filter, state.Page, page => view.Address(state with { Page = page }), cancellation);
    }
}
