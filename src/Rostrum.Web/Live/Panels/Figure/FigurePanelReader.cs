using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Chart;

namespace Rostrum.Web.Live.Panels.Figure;

/// <summary>A figure as people read it, what it is of, or why there is none.</summary>
internal sealed record FigureView(string? Shown, string Of, string? Because)
{
    /// <summary>How it stands against the time before.</summary>
    public FigureChange? Change { get; init; }

    /// <summary>What is counted or measured, behind the number.</summary>
    public string? Unit { get; init; }

    /// <summary>What makes it stand out.</summary>
    public Highlight? Tone { get; init; }

    /// <summary>How much of its target is reached, from 0 up; null where it has none.</summary>
    public double? Reached { get; init; }

    /// <summary>The target as people read it.</summary>
    public string? Target { get; init; }

    /// <summary>The same figure of each of the last periods, with what people read of it; none where there is no trend.</summary>
    public ImmutableArray<(double? Value, string Said)> Trend { get; init; } = [];
}

/// <summary>A figure against the time before.</summary>
/// <param name="Before">The figure then, as people read it.</param>
/// <param name="By">By how much it is more or less, in percent; null where there was none.</param>
/// <param name="Direction">More is 1, less is -1.</param>
/// <param name="Then">The days of that time.</param>
internal sealed record FigureChange(string Before, string? By, int Direction, string Then);

internal sealed class FigurePanelReader() : PanelReader<FigurePanel>("Figure")
{
    private const int PeriodsOfTrend = 12;

    /// <summary>One number, and how it is written; or why there is none.</summary>
    private readonly record struct Known(decimal? Number, string Shown, string? Because);

    protected override async Task<object?> ReadAsync(PageRun run, FigurePanel panel, CancellationToken cancellation)
    {
        if (run.App.Datasets.Find(panel.Dataset) is not { } dataset)
        {
            return new FigureView(null, "", "These records are no longer there.");
        }

        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        var field =
            panel.Measure is null ? null
            : panel.Field is { } name ? dataset.Find(name)
            : null;
        var of = field is null ? dataset.LabelInSentence : $"{Wording.InSentence(field.Label)} {WordOf(panel.Measure!.Value)}";
        if (narrowed is null || (field is null && panel.Measure is not null))
        {
            return new FigureView(null, of, because ?? "The field is no longer there.");
        }

        var period = panel.Period is not { } span ? null : FigurePeriod.Of(span, run.Context.Today);
        var when = panel.When is { } date ? dataset.Find(date) : null;
        if (period is not null && when is null)
        {
            return new FigureView(null, of, "Its date field is no longer there.");
        }

        Task<Known> In(DateOnly from, DateOnly until) =>
            ReadAsync(
                run,
                panel,
                dataset,
                field,
                Filter.Both(narrowed, DayRange.Between(when!, from, until.AddDays(1), run.Format.Zone)),
                cancellation
            );
        var before = period is not null && panel.CompareWithPrevious ? In(period.BeforeFrom, period.BeforeUntil) : null;
        var trend = period is not null && panel.Trend ? TrendAsync(run, panel, dataset, when!, narrowed, period, cancellation) : null;
        var now = await (period is null ? ReadAsync(run, panel, dataset, field, narrowed, cancellation) : In(period.From, period.Until));
        run.Values[new PageValue(panel.Name, "value")] = now.Number;
        return now.Because is not null
            ? new FigureView(null, of, now.Because)
            : new FigureView(
                now.Shown,
                run.Text(panel, panel.Caption) ?? (panel.Measure is null && now.Number == 1 ? dataset.RecordLabel : of),
                null
            )
            {
                Change = before is null ? null : Change(run, period!, now, await before),
                Unit = run.Text(panel, panel.Unit),
                Tone = HighlightOf(run, panel, now.Number),
                Trend = trend is null ? [] : await trend,
                Target = run.Number(panel, panel.Target) is { } aim ? Words(run, panel, field).Exact(aim) : null,
                Reached =
                    run.Number(panel, panel.Target) is > 0 and var target && now.Number is { } number ? (double)(number / target) : null,
            };
    }

    private static ChartWords Words(PageRun run, FigurePanel panel, Field? field) => new(run.Format, field, panel.Measure, isShare: false);

    // The figure of this period and of those before it, by one statement.
    private static async Task<ImmutableArray<(double? Value, string Said)>> TrendAsync(
        PageRun run,
        FigurePanel panel,
        Dataset dataset,
        Field when,
        Filter narrowed,
        FigurePeriod period,
        CancellationToken cancellation
    )
    {
        var span = panel.Period!.Value;
        var from = period.From;
        for (var earlier = 1; earlier < PeriodsOfTrend; earlier++)
        {
            from = FigurePeriod.Of(span, from.AddDays(-1)).From;
        }

        var by = new Dimension(when, Enum.Parse<Grouping>(span.ToString()));
        FieldTotal? total = panel.Measure is { } measure && panel.Field is { } of ? new FieldTotal(of, measure) : null;
        var request = run.Summary(
            dataset,
            by.Columns("by"),
            [total],
            Filter.Both(narrowed, DayRange.Between(when, from, period.Until.AddDays(1), run.Format.Zone))
        );
        if (await run.Gate.SummariseAsync(run.App.Datasets, request, run.Grants, cancellation) is not SummaryResult.Groups groups)
        {
            return [];
        }

        var shape = new ChartShape(by, null, [new ChartMeasure(total, "")]) { First = by.KeyOf(from), Last = by.KeyOf(period.From) };
        var figures = ChartFigures.Of(
            shape,
            [.. groups.Found.Select(group => new ChartGroup(Dimension.KeyOf(group.Values), null, null, null, group.Numbers))],
            run.Format
        );
        var words = Words(run, panel, total is null ? null : dataset.Find(total.Value.Field));
        return
        [
            .. figures.Categories.Zip(figures.Series[0].Values, (category, value) =>
                ((double?)value, $"{category.Label}: {words.Exact(value)}")
            ),
        ];
    }

    private static FigureChange? Change(PageRun run, FigurePeriod period, Known now, Known before)
    {
        if (before.Because is not null || now.Number is not { } number)
        {
            return null;
        }

        var was = before.Number ?? 0;
        var format = run.Format;
        var from = format.Display(new FieldType.Date(), period.BeforeFrom);
        var until = format.Display(new FieldType.Date(), period.BeforeUntil);
        return new FigureChange(
            before.Shown,
            was == 0 ? null : decimal.Round(Math.Abs((number - was) / was) * 100).ToString("#,##0", format.Culture) + " %",
            Math.Sign(number - was),
            from == until ? from : $"{from} – {until}"
        );
    }

    private static Highlight? HighlightOf(PageRun run, FigurePanel panel, decimal? number) =>
        panel.Highlights.FirstOrDefault(tone =>
            run.Scope.Check(panel, new FormulaPlace(tone.When) { Knows = PageScope.OfValue, Wanted = new FormulaType.Boolean() })
                is { Tree: { } tree }
            && Compiler.Compile(tree, once: true)(new FormulaRecord(PageScope.OfValue, [number]), run.Context) is true
        );

    private static Task<Known> ReadAsync(
        PageRun run,
        FigurePanel panel,
        Dataset dataset,
        Field? field,
        Filter filter,
        CancellationToken cancellation
    ) => field is null ? CountAsync(run, dataset, filter, cancellation) : TotalAsync(run, panel, dataset, field, filter, cancellation);

    private static async Task<Known> CountAsync(PageRun run, Dataset dataset, Filter filter, CancellationToken cancellation)
    {
        var request = new ReadRequest(dataset.Id)
        {
            Filter = filter,
            Counted = true,
            Window = new PageWindow.FromStart(0, 0),
            Names = run.Names,
            Now = run.Context.Now,
        };
        return await run.Gate.ReadAsync(run.App.Datasets, request, run.Grants, cancellation) switch
        {
            ReadResult.Rows { Count: { } count } => new Known(
                count.Number,
                (
                    count.Kind switch
                    {
                        CountKind.About => "about ",
                        CountKind.MoreThan => "more than ",
                        _ => "",
                    }
                ) + count.Number.ToString("#,##0", run.Format.Culture),
                null
            ),
            var result => new Known(null, "", run.Because(result) ?? "These records cannot be counted."),
        };
    }

    private static async Task<Known> TotalAsync(
        PageRun run,
        FigurePanel panel,
        Dataset dataset,
        Field field,
        Filter filter,
        CancellationToken cancellation
    )
    {
        var total = panel.Measure!.Value;
        switch (
            await run.Gate.TotalAsync(
                run.App.Datasets,
                new TotalRequest(dataset.Id, [new FieldTotal(field.Name, total)], filter) { Names = run.Names, Now = run.Context.Now },
                run.Grants,
                cancellation
            )
        )
        {
            case TotalResult.Values { Numbers: [var number] }:
                var shown = total is Total.Average && number is { } mean ? decimal.Round(mean, 2) : number;
                return new Known(
                    number,
                    shown is null ? "–"
                        : field.Format is null ? run.Format.Display(new FieldType.Number(), shown)
                        : run.Format.Display(field, shown),
                    null
                );
            case TotalResult.Denied denied:
                return new Known(null, "", denied.Reason);
            case TotalResult.Failed failed:
                return new Known(null, "", run.Words(failed.Failure));
            case TotalResult.Invalid invalid:
                return new Known(null, "", run.ForPeople(invalid.Problem));
            default:
                throw new InvalidOperationException("unknown result");
        }
    }

    private static string WordOf(Total measure) =>
        measure switch
        {
            Total.Sum => "in total",
            Total.Average => "on average",
            Total.Median => "median",
            Total.Least => "minimum",
            Total.Distinct => "different values",
            _ => "maximum",
        };
}
