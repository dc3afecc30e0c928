using System.Collections.Immutable;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>One series drawn as a line.</summary>
/// <param name="Series">The series, by number.</param>
/// <param name="Points">Its points, by stretches without a gap.</param>
/// <param name="Floor">Of an area, the line on which each stretch stands; none where it is a line alone.</param>
public sealed record PlotLine(
    int Series,
    ImmutableArray<ImmutableArray<(int Group, PlotPoint Point)>> Points,
    ImmutableArray<ImmutableArray<PlotPoint>> Floor
);

/// <summary>A chart along axes, laid out: everything from 0 to 1 along the groups, and from 0 to 1 up the axis.</summary>
/// <param name="Axis">The axis of values.</param>
/// <param name="Second">The axis of the second measure; null where there is one axis.</param>
/// <param name="Bars">The bars.</param>
/// <param name="Lines">The lines.</param>
/// <param name="References">Where the target's and other lines across it stand.</param>
public sealed record ChartPlot(
    ValueAxis Axis,
    ValueAxis? Second,
    ImmutableArray<Bar> Bars,
    ImmutableArray<PlotLine> Lines,
    ImmutableArray<double> References
)
{
    /// <summary>Lays out the figures of a chart.</summary>
    /// <param name="panel">The chart: bars, lines or areas.</param>
    /// <param name="figures">Its figures.</param>
    /// <param name="without">The series that are not drawn, by their numbers.</param>
    /// <param name="references">The values at which lines stand across it.</param>
    public static ChartPlot Of(ChartPanel panel, ChartFigures figures, IReadOnlySet<int> without, IReadOnlyCollection<double> references)
    {
        ArgumentNullException.ThrowIfNull(panel);
        ArgumentNullException.ThrowIfNull(figures);
        ArgumentNullException.ThrowIfNull(without);
        ArgumentNullException.ThrowIfNull(references);
        int[] drawn = [.. Enumerable.Range(0, figures.Series.Length).Where(at => !without.Contains(at))];
        double?[] Values(int series) => [.. figures.Series[series].Values.Select(value => (double?)value)];
        bool IsLine(int series) =>
            panel.Type is ChartType.Line or ChartType.Area || (panel.Type is ChartType.BarsAndLine && figures.Series[series].Measure == 1);
        var whole = figures.Series.All(series => series.Values.All(value => value is null || value == decimal.Truncate(value.Value)));
        int[] bars = [.. drawn.Where(series => !IsLine(series))];
        int[] lines = [.. drawn.Where(IsLine)];
        var reach = BarLayout.Reach([.. bars.Select(Values)], panel.Stacking);
        var areas = BarLayout.Reach([.. lines.Select(Values)], panel.Type is ChartType.Area ? panel.Stacking : Stacking.None);
        var hasSecond = panel.Type is ChartType.BarsAndLine && lines.Length > 0;
        var onAxis = Ends(reach).Concat(hasSecond ? [] : Ends(areas)).Concat(references);
        var isShare = panel.Stacking is Stacking.Share && panel.Type is not (ChartType.Line or ChartType.BarsAndLine);
        var axis = isShare
            ? new ValueAxis(onAxis.Any(value => value < 0) ? -100 : 0, 100, 25)
            : ValueAxis.Of(onAxis, panel.Type is not ChartType.Line, whole: whole && panel.ShowAs is not ShowAs.Share);
        var second = hasSecond ? ValueAxis.Of(Ends(areas), withZero: true, axis.Marks.Length) : null;
        return new ChartPlot(
            axis,
            second,
            [
                .. BarLayout
                    .Of(
                        reach,
                        axis,
                        panel.Stacking is Stacking.None,
                        panel.Type is ChartType.Histogram || panel.ByGrouping is Grouping.Range
                    )
                    .Select(bar => bar with { Series = bars[bar.Series] }),
            ],
            [
                .. lines.Select(
                    (series, at) =>
                    {
                        var along = second ?? axis;
                        var points = LineLayout.Stretches([.. areas[at].Select(ends => ends?.To)], along);
                        return new PlotLine(
                            series,
                            points,
                            panel.Type is not ChartType.Area
                                ? []
                                :
                                [
                                    .. points.Select(stretch =>
                                        stretch
                                            .Select(one => one.Point with { Y = along.At(areas[at][one.Group]!.Value.From) })
                                            .ToImmutableArray()
                                    ),
                                ]
                        );
                    }
                ),
            ],
            [.. references.Select(axis.At)]
        );
    }

    private static IEnumerable<double> Ends(ImmutableArray<ImmutableArray<(double From, double To)?>> reach) =>
        reach.SelectMany(series => series).OfType<(double From, double To)>().SelectMany(ends => new[] { ends.To });
}
