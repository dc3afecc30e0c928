using System.Collections.Immutable;
using System.Globalization;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>A chart's figures in rows: a line of headings, then one for each group or point.</summary>
internal sealed record ChartTable(ImmutableArray<ImmutableArray<string>> Lines)
{
    /// <param name="view">The chart.</param>
    /// <param name="exact">Numbers are written for programs, and not for people.</param>
    public static ChartTable Of(ChartView view, bool exact)
    {
        if (view.Scatter is { } scatter)
        {
            string[] labels = [view.Dataset.RecordLabel, scatter.X.Field.Label, scatter.Y.Field.Label];
            var size = view.Panel.SizeField is { } name ? view.Dataset.Find(name)?.Label : null;
            return new ChartTable([
                [.. labels, .. scatter.Points is [{ Cells.Length: 4 }, ..] ? new[] { size ?? "" } : []],
                .. scatter.Points.Select(point => point.Cells),
            ]);
        }

        var figures = view.Figures;
        string Cell(int series, int category) =>
            exact
                ? figures.Series[series].Values[category]?.ToString(CultureInfo.InvariantCulture) ?? ""
                : view.Words(figures.Series[series].Measure).Exact(figures.Series[series].Values[category]);
        return new ChartTable([
            [view.By!.Field.Label, .. figures.Series.Select(series => series.Label)],
            .. figures.Categories.Select(
                (category, at) =>
                    (ImmutableArray<string>)
                        [category.Label, .. Enumerable.Range(0, figures.Series.Length).Select(series => Cell(series, at))]
            ),
        ]);
    }
}
