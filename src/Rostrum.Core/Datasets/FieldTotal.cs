using System.Collections.Immutable;
using System.Globalization;

namespace Rostrum.Core.Datasets;

/// <summary>What is computed over all values of a field.</summary>
public enum Total
{
    /// <summary>Their sum.</summary>
    Sum,

    /// <summary>Their mean.</summary>
    Average,

    /// <summary>The least of them.</summary>
    Least,

    /// <summary>The greatest of them.</summary>
    Most,

    /// <summary>The one in the middle of their order, or the mean of the two in the middle.</summary>
    Median,

    /// <summary>How many different ones there are.</summary>
    Distinct,
}

/// <summary>A total over a field's values; blanks do not count.</summary>
/// <param name="Field">A field with numbers; any field where different values are counted.</param>
/// <param name="Total">What is computed.</param>
public readonly record struct FieldTotal(FieldName Field, Total Total)
{
    /// <summary>The totals, and what builders read.</summary>
    public static ImmutableArray<(Total Total, string Label)> Offered { get; } =
    [
        (Total.Sum, "sum"),
        (Total.Average, "average"),
        (Total.Median, "median"),
        (Total.Least, "minimum"),
        (Total.Most, "maximum"),
        (Total.Distinct, "different values"),
    ];

    /// <summary>The total over values, each with how often it is there.</summary>
    /// <param name="total">What is computed.</param>
    /// <param name="values">Numbers without blanks; anything where different values are counted.</param>
    /// <returns>Null where there are no values.</returns>
    /// <exception cref="OverflowException">The total has more digits than a decimal carries.</exception>
    public static decimal? Over(Total total, IReadOnlyCollection<(object Value, long Count)> values)
    {
        ArgumentNullException.ThrowIfNull(values);
        if (total is Total.Distinct)
        {
            return values.Select(value => value.Value).Distinct().Count();
        }

        (decimal Value, long Count)[] numbers =
        [
            .. values.Select(value => (Convert.ToDecimal(value.Value, CultureInfo.InvariantCulture), value.Count)),
        ];
        return numbers.Length == 0
            ? null
            : total switch
            {
                Total.Sum => numbers.Sum(number => number.Value * number.Count),
                Total.Average => numbers.Sum(number => number.Value * number.Count) / numbers.Sum(number => number.Count),
                Total.Median => Middle(numbers),
                Total.Least => numbers.Min(number => number.Value),
                _ => numbers.Max(number => number.Value),
            };
    }

    private static decimal Middle((decimal Value, long Count)[] numbers)
    {
        var sorted = numbers.OrderBy(number => number.Value).ToArray();
        var all = sorted.Sum(number => number.Count);
        decimal At(long place)
        {
            foreach (var (value, count) in sorted)
            {
                if ((place -= count) < 0)
                {
                    return value;
                }
            }

            return sorted[^1].Value;
        }

        return (At((all - 1) / 2) + At(all / 2)) * 0.5m;
    }
}
