using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Visuals;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Chart;

internal sealed class ChartReader() : PanelReader<ChartPanel>("Chart")
{
    private const int MostGroups = 5_000;
    private const int RangesAtMost = 14;

    protected override async Task<object?> ReadAsync(PageRun run, ChartPanel panel, CancellationToken cancellation) =>
        await ReadChartAsync(run, panel, cancellation);

    private static async Task<ChartView> ReadChartAsync(PageRun run, ChartPanel panel, CancellationToken cancellation)
    {
        if (run.App.Datasets.Find(panel.Dataset) is not { } dataset)
        {
            throw new InvalidOperationException($"App {run.App.Address} has no dataset {panel.Dataset}.");
        }

        var view = new ChartView(run, panel, dataset);
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        if (narrowed is null || because is not null)
        {
            return view with { Because = because ?? "These records are not known yet." };
        }

        if (panel.Type is ChartType.Scatter)
        {
            return await ScatterReading.ReadAsync(view, narrowed, cancellation);
        }

        if (panel.Grouped(dataset) is not { } by)
        {
            return view with { Because = "Choose the field by which the records are grouped." };
        }

        if (Lost(panel, dataset) is { } lost)
        {
            return view with { Because = lost };
        }

        var (target, problem) = TargetOf(run, panel);
        view = view with { Measures = MeasuresOf(panel, dataset), Split = panel.SplitBy(dataset), Target = target, Because = problem };
        if (by is { Grouping: Grouping.Range } && panel.RangeSize == 0)
        {
            by = by with { RangeSize = await RangeSizeAsync(run, dataset, by, narrowed, cancellation) };
        }

        var period = panel.Period is { } span && by.Field.Type.HasDay ? FigurePeriod.Of(span, run.Context.Today) : null;
        Task<(ChartView View, Dimension By)> In(DateOnly? from, DateOnly? until) =>
            GroupedAsync(
                view,
                by,
                from is null
                    ? narrowed
                    : Filter.Both(narrowed, DayRange.Between(by.Field, from.Value, until!.Value.AddDays(1), run.Format.Zone)),
                (from, until),
                cancellation
            );
        var before = period is not null && panel.CompareWithPrevious ? In(period.BeforeFrom, period.BeforeUntil) : null;
        (view, by) = await In(period?.From, period?.Until);
        if (before is not null && view.Because is null && await before is ({ Because: null } then, _))
        {
            view = view with { Figures = view.Figures.Against(then.Figures, "the period before") };
        }

        view = view with { By = by };
        return view.State.Group is null || run.IsPublic || view.Because is not null
            ? view
            : view with
            {
                Records = await RecordsReading.ReadAsync(view, narrowed, period, cancellation),
            };
    }

    private static async Task<(ChartView View, Dimension By)> GroupedAsync(
        ChartView view,
        Dimension by,
        Filter filter,
        (DateOnly? From, DateOnly? Until) span,
        CancellationToken cancellation
    )
    {
        var (run, panel) = (view.Run, view.Panel);
        ImmutableArray<string> notes = [];
        for (; ; )
        {
            var columns = by.Columns("by");
            var splits = view.Split?.Columns("split") ?? [];
            var request = new SummaryRequest(
                view.Dataset.Id,
                [.. columns.Concat(splits).Select(column => column.Name)],
                [.. view.Measures.Select(measure => measure.Total)],
                filter
            )
            {
                Computed =
                [
                    .. from column in columns.Concat(splits)
                    where column.Formula is not null
                    select new ComputedColumn(column.Name, column.Formula!),
                ],
                Names = run.Names,
                Now = run.Context.Now,
                Limit = MostGroups,
            };
            switch (await run.Gate.SummariseAsync(run.App.Datasets, request, run.Grants, cancellation))
            {
                case SummaryResult.Groups groups:
                    var found = groups.Found.Select(group => Group(group, columns.Length, splits.Length)).ToArray();
                    if (by.Coarser is { } coarser && (groups.IsCut || IsTooLong(by, found)))
                    {
                        notes = [$"Shown by {Words.Of(coarser.Grouping)}: there are too many {Words.Of(panel.ByGrouping ?? by.Grouping)}s."];
                        by = coarser;
                        continue;
                    }

                    var shape = new ChartShape(by, view.Split, view.Measures)
                    {
                        Largest = panel.Largest,
                        Order = panel.Order,
                        ShowAs = panel.ShowAs,
                        ShowBlanks = panel.ShowBlanks,
                        First = span.From is { } from ? by.KeyOf(from) : null,
                        Last = span.Until is { } until ? by.KeyOf(until) : null,
                    };
                    var figures = ChartFigures.Of(shape, found, run.Format);
                    if (groups.IsCut)
                    {
                        notes = notes.Add($"Only the {MostGroups.ToString("#,##0", run.Format.Culture)} groups with the most records are shown.");
                    }

                    return (view with { Figures = figures with { Notes = [.. notes, .. figures.Notes] } }, by);
                case SummaryResult.Denied denied:
                    return (view with { Because = denied.Reason }, by);
                case SummaryResult.Failed failed:
                    return (view with { Because = run.Words(failed.Failure) }, by);
                case SummaryResult.Invalid invalid:
                    return (view with { Because = run.ForPeople(invalid.Problem) }, by);
                default:
                    throw new InvalidOperationException("unknown result");
            }
        }
    }

    private static ChartGroup Group(SummaryGroup group, int by, int split) =>
        new(
            Dimension.KeyOf([.. group.Values.Take(by)]),
            group.Titles[0],
            split == 0 ? null : Dimension.KeyOf([.. group.Values.Skip(by)]),
            split == 0 ? null : group.Titles[by],
            group.Numbers
        );

    private static bool IsTooLong(Dimension by, ChartGroup[] groups)
    {
        object[] keys = [.. groups.Select(group => group.Key).OfType<object>().Order(Comparer<object>.Create(Dimension.Order))];
        return keys.Length > 0 && by.Between(keys[0], keys[^1], ChartFigures.MostCategories).IsEmpty;
    }

    private static string? Lost(ChartPanel panel, Dataset dataset)
    {
        bool IsGone(FieldName? name) => name is { } known && dataset.Find(known) is null;
        return
            IsGone(panel.Split) ? "The field by which it is split is no longer there."
            : (panel.Measure is not null && (panel.Field is null || IsGone(panel.Field)))
            || (panel.SecondMeasure is not null && (panel.SecondField is null || IsGone(panel.SecondField)))
                ? "The field that is measured is no longer there."
            : panel.Type is ChartType.HeatMap && panel.Split is null ? "Choose the second field of the heat map."
            : panel.Split is not null && panel.SecondMeasure is not null ? "A chart is split, or has a second measure: not both."
            : null;
    }

    private static ImmutableArray<ChartMeasure> MeasuresOf(ChartPanel panel, Dataset dataset)
    {
        ChartMeasure Of(Total? total, FieldName? field) =>
            total is { } known && field is { } name
                ? new ChartMeasure(new FieldTotal(name, known), Label(known, dataset.LabelOf(name)))
                : new ChartMeasure(null, dataset.Label);
        return panel.SecondMeasure is null
            ? [Of(panel.Measure, panel.Field)]
            : [Of(panel.Measure, panel.Field), Of(panel.SecondMeasure, panel.SecondField)];
    }

    private static string Label(Total total, string field) =>
        total switch
        {
            Total.Sum => field,
            Total.Average => $"{field}, average",
            Total.Median => $"{field}, median",
            Total.Least => $"{field}, minimum",
            Total.Most => $"{field}, maximum",
            _ => $"{field}, different values",
        };

    private static (decimal? Target, string? Problem) TargetOf(PageRun run, ChartPanel panel) =>
        !Computed.IsFormula(panel.Target) ? (ChartPanel.Number(panel.Target), null)
        : run.Evaluate(panel, new FormulaPlace(panel.Target![1..])) is decimal number ? (number, null)
        : (null, null);

    // A round size that makes about as many ranges as one looks at in one go.
    private static async Task<decimal> RangeSizeAsync(
        PageRun run,
        Dataset dataset,
        Dimension by,
        Filter filter,
        CancellationToken cancellation
    )
    {
        var request = new TotalRequest(
            dataset.Id,
            [new FieldTotal(by.Field.Name, Total.Least), new FieldTotal(by.Field.Name, Total.Most)],
            filter
        )
        {
            Names = run.Names,
            Now = run.Context.Now,
        };
        return
            await run.Gate.TotalAsync(run.App.Datasets, request, run.Grants, cancellation)
                is TotalResult.Values { Numbers: [{ } least, { } most] }
            && most > least
            ? (decimal)
                ValueAxis.Of([(double)least, (double)most], withZero: false, RangesAtMost, whole: by.Field.Type is FieldType.Integer).Step
            : 1;
    }
}
