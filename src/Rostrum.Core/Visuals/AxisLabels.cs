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
