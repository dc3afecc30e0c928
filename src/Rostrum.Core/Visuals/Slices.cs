using System.Collections.Immutable;
using System.Globalization;
using System.Runtime.InteropServices;

namespace Rostrum.Core.Visuals;

/// <summary>A slice of a pie, or of a ring.</summary>
/// <param name="Group">Its group, by number.</param>
/// <param name="Share">Its part of the whole, from 0 to 1.</param>
/// <param name="From">Where it begins, as a part of the whole turn from above, clockwise.</param>
[StructLayout(LayoutKind.Auto)]
public readonly record struct Slice(int Group, double Share, double From)
{
    /// <summary>Its outline as the path of an SVG, around the middle of a square.</summary>
    /// <param name="radius">The outer radius; the middle is there along both axes.</param>
    /// <param name="hole">The radius of the hole; 0 where there is none.</param>
    public string Path(double radius, double hole)
    {
        if (Share >= 1)
        {
            // An arc that ends where it begins is none: two halves.
            return $"{Half(radius, radius)}{(hole > 0 ? " " + Half(radius, hole) : "")}";
        }

        var large = Share > 0.5 ? 1 : 0;
        var (x1, y1) = At(radius, radius, From);
        var (x2, y2) = At(radius, radius, From + Share);
        var (x3, y3) = At(radius, hole, From + Share);
        var (x4, y4) = At(radius, hole, From);
        string Arc(double of, int clockwise, double x, double y) =>
            string.Create(CultureInfo.InvariantCulture, $"A{of} {of} 0 {large} {clockwise} {x:0.##} {y:0.##}");
        var outer = string.Create(CultureInfo.InvariantCulture, $"{x1:0.##} {y1:0.##} {Arc(radius, 1, x2, y2)}");
        return hole > 0
            ? string.Create(CultureInfo.InvariantCulture, $"M{outer} L{x3:0.##} {y3:0.##} {Arc(hole, 0, x4, y4)} Z")
            : string.Create(CultureInfo.InvariantCulture, $"M{radius} {radius} L{outer} Z");
    }

    private static string Half(double middle, double radius)
    {
        string To(double y) => string.Create(CultureInfo.InvariantCulture, $"A{radius} {radius} 0 1 1 {middle} {y}");
        var above = string.Create(CultureInfo.InvariantCulture, $"M{middle} {middle - radius}");
        return $"{above} {To(middle + radius)} {To(middle - radius)} Z";
    }

    private static (double X, double Y) At(double middle, double radius, double turn) =>
        (middle + (radius * Math.Sin(turn * 2 * Math.PI)), middle - (radius * Math.Cos(turn * 2 * Math.PI)));

    /// <summary>The slices of values: what is blank, zero or negative has none.</summary>
    public static ImmutableArray<Slice> Of(IReadOnlyList<double?> values)
    {
        ArgumentNullException.ThrowIfNull(values);
        var whole = values.Sum(value => Math.Max(0, value ?? 0));
        var slices = ImmutableArray.CreateBuilder<Slice>();
        var from = 0d;
        for (var group = 0; group < values.Count && whole > 0; group++)
        {
            if (values[group] is > 0 and { } value)
            {
                slices.Add(new Slice(group, value / whole, from));
                from += value / whole;
            }
        }

        return slices.ToImmutable();
    }
}
