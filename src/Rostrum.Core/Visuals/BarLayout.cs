using System.Collections.Immutable;
using System.Runtime.InteropServices;

namespace Rostrum.Core.Visuals;

/// <summary>A bar: where it stands along the groups, and from which value to which it reaches; all from 0 to 1.</summary>
/// <param name="Series">Its series, by number.</param>
/// <param name="Group">Its group, by number.</param>
/// <param name="Start">Where its side begins along the groups.</param>
/// <param name="Width">How wide it is along the groups.</param>
/// <param name="From">Where it begins along the values.</param>
/// <param name="To">Where it ends along the values.</param>
[StructLayout(LayoutKind.Auto)]
public readonly record struct Bar(int Series, int Group, double Start, double Width, double From, double To);

/// <summary>How bars of several series stand to each other.</summary>
public enum Stacking
{
    /// <summary>Side by side.</summary>
    None,

    /// <summary>One on the other; negative ones below zero.</summary>
    Stacked,

    /// <summary>One on the other, each as its share of the group.</summary>
    Share,
}

/// <summary>Lays out bars.</summary>
public static class BarLayout
{
    /// <summary>The part of a group's room that its bars take.</summary>
    public const double Filled = 0.76;

    /// <summary>For each series and group from which value to which its bar reaches; null where it has none.</summary>
    /// <param name="series">The values of each series, by group.</param>
    /// <param name="stacking">How they stand to each other.</param>
    public static ImmutableArray<ImmutableArray<(double From, double To)?>> Reach(
        IReadOnlyList<IReadOnlyList<double?>> series,
        Stacking stacking
    )
    {
        ArgumentNullException.ThrowIfNull(series);
        var groups = series.Count == 0 ? 0 : series.Max(values => values.Count);
        var above = new double[groups];
        var below = new double[groups];
        double[] whole = [.. Enumerable.Range(0, groups).Select(group => series.Sum(values => Math.Abs(Value(values, group) ?? 0)))];
        return
        [
            .. series.Select(values =>
                Enumerable
                    .Range(0, groups)
                    .Select(group =>
                    {
                        if (Value(values, group) is not { } value)
                        {
                            return ((double, double)?)null;
                        }

                        if (stacking is Stacking.None)
                        {
                            return (0, value);
                        }

                        value = stacking is Stacking.Share ? (whole[group] == 0 ? 0 : value / whole[group] * 100) : value;
                        var side = value < 0 ? below : above;
                        var from = side[group];
                        side[group] += value;
                        return (from, side[group]);
                    })
                    .ToImmutableArray()
            ),
        ];
    }

    /// <summary>The bars.</summary>
    /// <param name="reach">From which value to which each reaches.</param>
    /// <param name="axis">The axis of values.</param>
    /// <param name="sideBySide">Each series has a place of its own in the group.</param>
    /// <param name="touching">No room is left between groups: ranges of numbers follow on one another.</param>
    public static ImmutableArray<Bar> Of(
        ImmutableArray<ImmutableArray<(double From, double To)?>> reach,
        ValueAxis axis,
        bool sideBySide,
        bool touching = false
    )
    {
        ArgumentNullException.ThrowIfNull(axis);
        var groups = reach.IsEmpty ? 0 : reach[0].Length;
        var room = 1d / Math.Max(1, groups);
        var filled = room * (touching ? 1 : Filled);
        var width = sideBySide ? filled / reach.Length : filled;
        var bars = ImmutableArray.CreateBuilder<Bar>();
        for (var series = 0; series < reach.Length; series++)
        {
            for (var group = 0; group < groups; group++)
            {
                if (reach[series][group] is var (from, to))
                {
                    var start = (group * room) + ((room - filled) / 2) + (sideBySide ? series * width : 0);
                    bars.Add(new Bar(series, group, start, width, axis.At(from), axis.At(to)));
                }
            }
        }

        return bars.ToImmutable();
    }

    private static double? Value(IReadOnlyList<double?> values, int group) => group < values.Count ? values[group] : null;
}
