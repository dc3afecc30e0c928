using System.Collections.Immutable;

namespace Rostrum.Core.Visuals;

/// <summary>An axis of numbers whose ends and marks are round.</summary>
/// <remarks>P. S. Heckbert, “Nice Numbers for Graph Labels”, in Graphics Gems, Academic Press, 1990, pp. 61–63.</remarks>
/// <param name="Least">Its lower end, at most the least value.</param>
/// <param name="Most">Its upper end, at least the greatest value, and more than the lower.</param>
/// <param name="Step">The distance of its marks: 1, 2 or 5 times a power of ten.</param>
public sealed record ValueAxis(double Least, double Most, double Step)
{
    // Beyond this neither doubles nor decimals can be laid out.
    private const double Farthest = 1e28;

    /// <summary>An axis that covers some values.</summary>
    /// <param name="values">The values; none that is no number.</param>
    /// <param name="withZero">Zero is on it, whatever the values: bars stand on it.</param>
    /// <param name="marks">About how many marks it has, at least 2.</param>
    /// <param name="whole">Its marks are whole numbers.</param>
    public static ValueAxis Of(IEnumerable<double> values, bool withZero, int marks = 5, bool whole = false)
    {
        double[] known = [.. values.Select(value => Math.Clamp(value, -Farthest, Farthest)), .. withZero ? [0d] : Array.Empty<double>()];
        var (least, most) = known.Length == 0 ? (0, 1) : (known.Min(), known.Max());
        if (least == most)
        {
            // All the same: room on both sides, or up from zero.
            var room = least == 0 ? 1 : Math.Abs(least);
            (least, most) =
                withZero || least == 0 ? (Math.Min(0, least), Math.Max(most, least + (least < 0 ? 0 : room))) : (least - room, most + room);
            most = least == most ? least + room : most;
        }

        var step = Nice(Nice(most - least, up: true) / (Math.Max(2, marks) - 1), up: false);
        step = whole ? Math.Max(1, step) : step;
        return new ValueAxis(Math.Floor(least / step) * step, Math.Ceiling(most / step) * step, step);
    }

    /// <summary>The values at its marks, its ends among them.</summary>
    public ImmutableArray<double> Marks
    {
        get
        {
            var count = (int)Math.Round((Most - Least) / Step);
            return [.. Enumerable.Range(0, count + 1).Select(at => Rounded(Least + (at * Step)))];
        }
    }

    /// <summary>Where a value stands, from 0 at the lower end to 1; beyond them where it is not on the axis.</summary>
    public double At(double value) => (value - Least) / (Most - Least);

    // The sum of steps is a hair beside the number that is meant.
    private double Rounded(double value)
    {
        var digits = (int)Math.Clamp(1 - Math.Floor(Math.Log10(Step)), 0, 15);
        return Math.Round(value, digits);
    }

    // 1, 2, 5 or 10 times a power of ten: the next one up, or the nearest.
    private static double Nice(double range, bool up)
    {
        var power = Math.Pow(10, Math.Floor(Math.Log10(range)));
        var part = range / power;
        double[] nice = [1, 2, 5, 10];
        return power
            * (
                up ? nice.FirstOrDefault(one => part <= one, 10)
                : part < 1.5 ? 1
                : part < 3 ? 2
                : part < 7 ? 5
                : 10
            );
    }
}
