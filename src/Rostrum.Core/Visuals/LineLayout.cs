using System.Collections.Immutable;
using System.Globalization;
using System.Runtime.InteropServices;

namespace Rostrum.Core.Visuals;

/// <summary>A place in a plot, from 0 to 1 along the groups and up along the values.</summary>
[StructLayout(LayoutKind.Auto)]
public readonly record struct PlotPoint(double X, double Y);

/// <summary>Lays out lines and areas.</summary>
public static class LineLayout
{
    /// <summary>The middle of a group's room.</summary>
    public static double Middle(int group, int groups) => (group + 0.5) / Math.Max(1, groups);

    /// <summary>The stretches of a series in which no value is missing: a gap is a gap.</summary>
    /// <param name="values">The values by group.</param>
    /// <param name="axis">The axis of values.</param>
    public static ImmutableArray<ImmutableArray<(int Group, PlotPoint Point)>> Stretches(IReadOnlyList<double?> values, ValueAxis axis)
    {
        ArgumentNullException.ThrowIfNull(values);
        ArgumentNullException.ThrowIfNull(axis);
        var stretches = ImmutableArray.CreateBuilder<ImmutableArray<(int, PlotPoint)>>();
        var stretch = ImmutableArray.CreateBuilder<(int, PlotPoint)>();
        for (var group = 0; group <= values.Count; group++)
        {
            if (group < values.Count && values[group] is { } value)
            {
                stretch.Add((group, new PlotPoint(Middle(group, values.Count), axis.At(value))));
            }
            else if (stretch.Count > 0)
            {
                stretches.Add(stretch.ToImmutable());
                stretch.Clear();
            }
        }

        return stretches.ToImmutable();
    }

    /// <summary>A line through points, as the path of an SVG: in hundredths along the groups, and in a height from above.</summary>
    /// <param name="points">The points.</param>
    /// <param name="height">The plot's height.</param>
    public static string Path(IEnumerable<PlotPoint> points, double height) =>
        string.Join(' ', points.Select((point, at) => $"{(at == 0 ? 'M' : 'L')}{Place(point, height)}"));

    /// <summary>The area between two lines over the same groups.</summary>
    public static string Area(IReadOnlyCollection<PlotPoint> upper, IEnumerable<PlotPoint> lower, double height) =>
        $"{Path(upper, height)} {string.Join(' ', lower.Reverse().Select(point => $"L{Place(point, height)}"))} Z";

    private static string Place(PlotPoint point, double height) =>
        string.Create(CultureInfo.InvariantCulture, $"{point.X * 100:0.###} {(1 - point.Y) * height:0.##}");
}
