using System.Collections.Immutable;

namespace Rostrum.Core.Visuals;

/// <summary>Which labels of an axis are shown in plots of different widths, so that none touches another.</summary>
public static class AxisLabels
{
    /// <summary>The widths of plots, in pixels, for which labels are chosen.</summary>
    public static ImmutableArray<int> Widths { get; } = [240, 360, 520, 760, 1080];

    /// <summary>The room that is left between two labels, in pixels.</summary>
    public const double Between = 8;

    /// <summary>For a plot of a width every how manieth label there is room for, counted from the first.</summary>
    /// <param name="widths">The labels' widths in pixels, in their order; each stands at the middle of its group.</param>
    /// <param name="plot">The plot's width in pixels.</param>
    public static int Every(IReadOnlyList<double> widths, double plot)
    {
        ArgumentNullException.ThrowIfNull(widths);
        for (var every = 1; every < widths.Count; every++)
        {
            if (Fits(widths, plot, every))
            {
                return every;
            }
        }

        return Math.Max(1, widths.Count);
    }

    /// <summary>Labels beside their places, moved as far as they must be so that none touches another.</summary>
    /// <param name="places">Where they would stand.</param>
    /// <param name="apart">How far from each other, at least.</param>
    /// <param name="most">The last place at which one may stand, if there is room for all.</param>
    /// <returns>Where they stand, in the order given.</returns>
    public static ImmutableArray<double> Apart(IReadOnlyList<double> places, double apart, double most)
    {
        ArgumentNullException.ThrowIfNull(places);
        var stands = new double[places.Count];
        int[] order = [.. Enumerable.Range(0, places.Count).OrderBy(at => places[at])];
        for (var at = 0; at < order.Length; at++)
        {
            stands[order[at]] = at == 0 ? places[order[at]] : Math.Max(places[order[at]], stands[order[at - 1]] + apart);
        }

        // Those that were moved past the end move back, and the ones before them with them.
        var end = most;
        foreach (var at in order.Reverse())
        {
            stands[at] = Math.Min(stands[at], end);
            end = stands[at] - apart;
        }

        return [.. stands];
    }

    /// <summary>The widths of plots in which a text has room in a stretch of them, as classes: <c>at-520 at-760</c>.</summary>
    /// <param name="text">The text's width in pixels.</param>
    /// <param name="from">Where the stretch begins, as a part of the plot.</param>
    /// <param name="until">Where it ends.</param>
    public static string WithRoom(double text, double from, double until) =>
        string.Join(' ', Widths.Where(plot => text + Between <= (until - from) * plot).Select(plot => $"at-{plot}"));

    private static bool Fits(IReadOnlyList<double> widths, double plot, int every)
    {
        var end = double.NegativeInfinity;
        for (var at = 0; at < widths.Count; at += every)
        {
            var middle = LineLayout.Middle(at, widths.Count) * plot;
            if (middle - (widths[at] / 2) < end)
            {
                return false;
            }

            end = middle + (widths[at] / 2) + Between;
        }

        return true;
    }
}
