using System.Collections.Immutable;
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
        var dataset = run.DatasetOf(panel);

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

        var (formula, problem) = MeasureFormulas.Of(run, panel);
        if (problem is not null)
        {
            return view with { Because = problem };
        }

        view = view with
        {
            Measures = panel.Measures(dataset),
            Formula = formula,
            Split = panel.SplitBy(dataset),
            References = [.. References(run, panel)],
        };
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
                Records = await RecordsAsync(view, narrowed, period, cancellation),
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
            var request = run.Summary(view.Dataset, [.. columns, .. splits], [.. view.Measures.Select(measure => measure.Total)], filter);
            var result = await run.Gate.SummariseAsync(run.App.Datasets, request, run.Grants, cancellation);
            if (result is not SummaryResult.Groups groups)
            {
                return (view with { Because = run.Because(result) }, by);
            }

            var found = groups.Found.Select(group => Group(group, columns.Length, splits.Length)).ToArray();
            if (by.Coarser is { } coarser && (groups.IsCut || IsTooLong(by, found)))
            {
                notes = [$"Shown by {Words.Of(coarser.Grouping)}: there are too many {Words.Of(panel.ByGrouping ?? by.Grouping)}s."];
                by = coarser;
                continue;
            }

            var shape = new ChartShape(by, view.Split, view.Measures)
            {
                Formula = view.Formula,
                FirstBesideFormula = view.FirstBesideFormula,
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
        }
    }

    private static IEnumerable<ChartReference> References(PageRun run, ChartPanel panel)
    {
        if (run.Number(panel, panel.Target) is { } target)
        {
            yield return new ChartReference(run.Text(panel, panel.TargetLabel) ?? "Target", target, IsTarget: true);
        }

        foreach (var line in panel.ReferenceLines)
        {
            if (run.Number(panel, line.Value) is { } value)
            {
                yield return new ChartReference(line.Label, value, IsTarget: false);
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

    // The records of the group that was chosen, and of its series.
    private static Task<GroupRecords> RecordsAsync(ChartView view, Filter narrowed, FigurePeriod? period, CancellationToken cancellation)
    {
        var (run, state, by, split) = (view.Run, view.State, view.By!, view.Split);
        var isRest = state.Group == ChartView.Rest;
        var key = isRest ? null : by.Parse(state.Group!);
        var filter = Filter.Both(narrowed, isRest ? Others(view) : by.Is(key, run.Format.Zone));
        if (period is not null)
        {
            filter = Filter.Both(filter, DayRange.Between(by.Field, period.From, period.Until.AddDays(1), run.Format.Zone));
        }

        var category = view.Figures.Categories.FirstOrDefault(category => category.IsRest == isRest && Equals(category.Key, key));
        var label = category?.Label ?? by.Label(key, null, run.Format);
        if (state.Series is { } series && split is not null)
        {
            var of = split.Parse(series);
            filter = Filter.Both(filter, split.Is(of, run.Format.Zone));
            label +=
                " · " + (view.Figures.Series.FirstOrDefault(known => Equals(known.Key, of))?.Label ?? split.Label(of, null, run.Format));
        }

        var records = new GroupRecords(view.Dataset, label) { Panel = view.Id, Close = view.Address((ChartState)state.Closed(false)) };
        return records.ReadAsync(run, filter, state.Page, page => view.Address(state with { Page = page }), cancellation);
    }

    // Those that have no place of their own: a blank has one, or is not shown at all.
    private static Filter.Not Others(ChartView view) =>
        new(
            new Filter.OneOf(
                view.By!.Field.Name,
                [.. view.Figures.Categories.Where(category => !category.IsRest).Select(category => category.Key).Append(null).Distinct()]
            )
        );

    private static string? Lost(ChartPanel panel, Dataset dataset) =>
        panel.Split is { } split && dataset.Find(split) is null ? "The field by which it is split is no longer there."
        : panel.Type is ChartType.HeatMap && panel.Split is null ? "Choose the second field of the heat map."
        : panel is { Split: not null, SecondMeasure: not null, Formula: null } ? "A chart is split, or has a second measure: not both."
        : panel.Unmeasured(dataset);

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
