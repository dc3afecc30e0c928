using System.Numerics;

namespace Rostrum.Core.Formulas.Functions;

/// <summary>Totals and parts of lists, by OpenFormula 1.2, sections 6.16 and 6.18. Blanks in a list are passed over.</summary>
internal static class ListFunctions
{
    [Function("The numbers' sum; 0 of nothing.", Examples = ["SUM(1, 2, BLANK) → 3", "SUM(BLANK) → 0"])]
    [Exactness(ExactnessRule.Sum)]
    public static decimal? Sum(params decimal?[] numbers) => Total(numbers.OfType<decimal>());

    [Function("The numbers' sum; 0 of nothing.")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? Sum([Of(typeof(decimal))] IReadOnlyList<object?> numbers) => Total(Numbers(numbers));

    [Function("The numbers' mean; blank of nothing.", Examples = ["AVERAGE(1, 2, 6) → 3"])]
    [Exactness(ExactnessRule.Mean)]
    public static decimal? Average(params decimal?[] numbers) => Mean([.. numbers.OfType<decimal>()]);

    [Function("The numbers' mean; blank of nothing.")]
    [Exactness(ExactnessRule.Mean)]
    public static decimal? Average([Of(typeof(decimal))] IReadOnlyList<object?> numbers) => Mean([.. Numbers(numbers)]);

    [Function("How many values there are, blanks not counted.")]
    public static decimal Count(IReadOnlyList<object?> list) => list.Count(element => element is not null);

    [Function("How many numbers there are, blanks not counted.", Examples = ["COUNT(1, BLANK, 3) → 2"])]
    public static decimal Count(params decimal?[] numbers) => numbers.Count(number => number is not null);

    [Function("How many elements are equal to a value, or meet a criterion such as \">4\".")]
    public static decimal CountIf([Of(typeof(string))] IReadOnlyList<object?> list, string? criterion) =>
        list.Count(Criterion.Of(criterion).Holds);

    [Function("How many elements are equal to a value.")]
    public static decimal CountIf([Of(typeof(decimal))] IReadOnlyList<object?> list, decimal? value) =>
        list.Count(element => Equals(element, value));

    [Function("How many elements meet a criterion such as \">4\".", Name = "COUNTIF")]
    public static decimal CountNumbersIf([Of(typeof(decimal))] IReadOnlyList<object?> list, string? criterion) =>
        list.Count(Criterion.Of(criterion).Holds);

    [Function("How many elements are equal to a value.", Name = "COUNTIF")]
    public static decimal CountDatesIf([Of(typeof(DateOnly))] IReadOnlyList<object?> list, DateOnly? value) =>
        list.Count(element => Equals(element, value));

    [Function("How many elements meet a criterion such as \">=2026-03-01\".", Name = "COUNTIF")]
    public static decimal CountDatesIf([Of(typeof(DateOnly))] IReadOnlyList<object?> list, string? criterion) =>
        list.Count(Criterion.Of(criterion).Holds);

    [Function("The sum of the numbers at the places at which a list has a value, or meets a criterion such as \">4\".")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? SumIf(
        [Of(typeof(string))] IReadOnlyList<object?> list,
        string? criterion,
        [Of(typeof(decimal))] IReadOnlyList<object?> numbers
    ) => Total(At(list, criterion, numbers));

    [Function("The sum of the numbers at the places at which others meet a criterion such as \">4\".", Name = "SUMIF")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? SumNumbersIf(
        [Of(typeof(decimal))] IReadOnlyList<object?> list,
        string? criterion,
        [Of(typeof(decimal))] IReadOnlyList<object?> numbers
    ) => Total(At(list, criterion, numbers));

    [Function("The sum of the numbers that meet a criterion such as \">4\".", Name = "SUMIF")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? SumNumbersIf([Of(typeof(decimal))] IReadOnlyList<object?> numbers, string? criterion) =>
        Total(At(numbers, criterion, numbers));

    [Function("The mean of the numbers at the places at which a list has a value, or meets a criterion such as \">4\".")]
    [Exactness(ExactnessRule.Mean)]
    public static decimal? AverageIf(
        [Of(typeof(string))] IReadOnlyList<object?> list,
        string? criterion,
        [Of(typeof(decimal))] IReadOnlyList<object?> numbers
    ) => Mean([.. At(list, criterion, numbers)]);

    [Function("The mean of the numbers at the places at which others meet a criterion such as \">4\".", Name = "AVERAGEIF")]
    [Exactness(ExactnessRule.Mean)]
    public static decimal? AverageNumbersIf(
        [Of(typeof(decimal))] IReadOnlyList<object?> list,
        string? criterion,
        [Of(typeof(decimal))] IReadOnlyList<object?> numbers
    ) => Mean([.. At(list, criterion, numbers)]);

    [Function("The mean of the numbers that meet a criterion such as \">4\".", Name = "AVERAGEIF")]
    [Exactness(ExactnessRule.Mean)]
    public static decimal? AverageNumbersIf([Of(typeof(decimal))] IReadOnlyList<object?> numbers, string? criterion) =>
        Mean([.. At(numbers, criterion, numbers)]);

    [Function("The least; blank of nothing.", Examples = ["MIN(3, BLANK, 2) → 2", "MIN(BLANK) → BLANK"])]
    [Exactness(ExactnessRule.Least)]
    public static decimal? Min(params decimal?[] numbers) => numbers.Min();

    [Function("The least; blank of nothing.")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? Min([Of(typeof(decimal))] IReadOnlyList<object?> numbers) => numbers.Cast<decimal?>().Min();

    [Function("The earliest; blank of nothing.", Name = "MIN", Examples = ["MIN(DATE(2026, 3, 1), DATE(2025, 3, 1)) → DATE(2025, 3, 1)"])]
    public static DateOnly? MinDate(params DateOnly?[] dates) => dates.Min();

    [Function("The earliest; blank of nothing.", Name = "MIN")]
    public static DateOnly? MinDate([Of(typeof(DateOnly))] IReadOnlyList<object?> dates) => dates.Cast<DateOnly?>().Min();

    [Function("The earliest; blank of nothing.", Name = "MIN")]
    public static DateTimeOffset? MinInstant([Of(typeof(DateTimeOffset))] IReadOnlyList<object?> instants) =>
        instants.Cast<DateTimeOffset?>().Min();

    [Function("The greatest; blank of nothing.", Examples = ["MAX(3, BLANK, 2) → 3"])]
    [Exactness(ExactnessRule.Least)]
    public static decimal? Max(params decimal?[] numbers) => numbers.Max();

    [Function("The greatest; blank of nothing.")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? Max([Of(typeof(decimal))] IReadOnlyList<object?> numbers) => numbers.Cast<decimal?>().Max();

    [Function("The latest; blank of nothing.", Name = "MAX")]
    public static DateOnly? MaxDate(params DateOnly?[] dates) => dates.Max();

    [Function("The latest; blank of nothing.", Name = "MAX")]
    public static DateOnly? MaxDate([Of(typeof(DateOnly))] IReadOnlyList<object?> dates) => dates.Cast<DateOnly?>().Max();

    [Function("The latest; blank of nothing.", Name = "MAX")]
    public static DateTimeOffset? MaxInstant([Of(typeof(DateTimeOffset))] IReadOnlyList<object?> instants) =>
        instants.Cast<DateTimeOffset?>().Max();

    [Function(
        "The middle one; of an even number of them the mean of the two in the middle.",
        Examples = ["MEDIAN(1, 9, 2) → 2", "MEDIAN(1, 2, 3, BLANK, 8) → 2.5"]
    )]
    [Exactness(ExactnessRule.Mean)]
    public static decimal? Median(params decimal?[] numbers) => Median([.. numbers.Cast<object?>()]);

    [Function("The middle one; of an even number of them the mean of the two in the middle.")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? Median([Of(typeof(decimal))] IReadOnlyList<object?> numbers)
    {
        var sorted = Numbers(numbers).Order().ToArray();
        return sorted.Length == 0 ? null
            : sorted.Length % 2 == 1 ? sorted[sorted.Length / 2]
            : Mean(sorted[((sorted.Length / 2) - 1)..((sorted.Length / 2) + 1)]);
    }

    [Function("The variance of a sample; blank of fewer than two.", Examples = ["VAR(2, 4, 4, 4, 5, 5, 7, 9) * 7 → 32"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? Var(params decimal?[] numbers) => Var([.. numbers.Cast<object?>()]);

    [Function("The variance of a sample; blank of fewer than two.")]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? Var([Of(typeof(decimal))] IReadOnlyList<object?> numbers) => Variance([.. Numbers(numbers)], 1);

    [Function("The variance of all there are; blank of none.", Examples = ["VARP(2, 4, 4, 4, 5, 5, 7, 9) → 4"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? VarP(params decimal?[] numbers) => VarP([.. numbers.Cast<object?>()]);

    [Function("The variance of all there are; blank of none.")]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? VarP([Of(typeof(decimal))] IReadOnlyList<object?> numbers) => Variance([.. Numbers(numbers)], 0);

    [Function("The standard deviation of a sample; blank of fewer than two.", Examples = ["ROUND(STDEV(1, 3), 6) → 1.414214"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? StDev(params decimal?[] numbers) => StDev([.. numbers.Cast<object?>()]);

    [Function("The standard deviation of a sample; blank of fewer than two.")]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? StDev([Of(typeof(decimal))] IReadOnlyList<object?> numbers) =>
        Var(numbers) is { } variance ? NumberFunctions.Sqrt(variance) : null;

    [Function("The standard deviation of all there are; blank of none.", Examples = ["STDEVP(2, 4, 4, 4, 5, 5, 7, 9) → 2"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? StDevP(params decimal?[] numbers) => StDevP([.. numbers.Cast<object?>()]);

    [Function("The standard deviation of all there are; blank of none.")]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? StDevP([Of(typeof(decimal))] IReadOnlyList<object?> numbers) =>
        VarP(numbers) is { } variance ? NumberFunctions.Sqrt(variance) : null;

    [Function("The n-th greatest; blank where there are not so many.")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? Large([Of(typeof(decimal))] IReadOnlyList<object?> numbers, decimal n) =>
        Place(Numbers(numbers).OrderDescending(), n);

    [Function("The n-th least; blank where there are not so many.")]
    [Exactness(ExactnessRule.Elements)]
    public static decimal? Small([Of(typeof(decimal))] IReadOnlyList<object?> numbers, decimal n) => Place(Numbers(numbers).Order(), n);

    [Function("The first element; blank of an empty list.")]
    [return: Element]
    [Exactness(ExactnessRule.Elements)]
    public static object? First(IReadOnlyList<object?> list) => list.Count == 0 ? null : list[0];

    [Function("The last element; blank of an empty list.")]
    [return: Element]
    [Exactness(ExactnessRule.Elements)]
    public static object? Last(IReadOnlyList<object?> list) => list.Count == 0 ? null : list[^1];

    [Function("The element at a place, counted from 1; blank where there is none.")]
    [return: Element]
    [Exactness(ExactnessRule.Elements)]
    public static object? Index(IReadOnlyList<object?> list, decimal place) =>
        place >= 1 && place <= list.Count ? list[(int)place - 1] : null;

    [Function("Each different element once, in the order of first coming.")]
    [return: Element]
    [Exactness(ExactnessRule.Elements)]
    public static IReadOnlyList<object?> Unique(IReadOnlyList<object?> list) => [.. list.Distinct()];

    [Function("Whether the list has a value among its elements.")]
    public static bool Contains([Of(typeof(string))] IReadOnlyList<object?> list, string? wanted) => list.Contains(wanted);

    [Function("Whether the list has a value among its elements.")]
    public static bool Contains([Of(typeof(decimal))] IReadOnlyList<object?> list, decimal? wanted) => list.Contains(wanted);

    private static IEnumerable<decimal> Numbers(IReadOnlyList<object?> numbers) => numbers.OfType<decimal>();

    private static IEnumerable<decimal> At(IReadOnlyList<object?> list, string? criterion, IReadOnlyList<object?> numbers)
    {
        var condition = Criterion.Of(criterion);
        return list.Zip(numbers).Where(pair => condition.Holds(pair.First)).Select(pair => pair.Second).OfType<decimal>();
    }

    private static decimal? Total(IEnumerable<decimal> numbers)
    {
        var all = numbers.ToArray();
        decimal? total = 0m;
        foreach (var number in all)
        {
            total = total is { } known ? Arithmetic.Add(known, number) : null;
        }

        return total ?? WideTotal(all);
    }

    // A sum that overflows on the way may fit in the end: it must not depend on the order.
    private static decimal? WideTotal(decimal[] numbers)
    {
        var whole = numbers.Aggregate(BigInteger.Zero, (sum, number) => sum + new BigInteger(decimal.Truncate(number)));
        var rest = numbers.Aggregate(0m, (sum, number) => sum + (number - decimal.Truncate(number)));
        return BigInteger.Abs(whole) > new BigInteger(decimal.MaxValue) ? null : Arithmetic.Add((decimal)whole, rest);
    }

    private static decimal? Mean(decimal[] numbers) =>
        numbers.Length == 0 ? null
        : Total(numbers) is { } total ? total / numbers.Length
        : null;

    private static decimal? Variance(decimal[] numbers, int less)
    {
        if (numbers.Length <= less || Mean(numbers) is not { } mean)
        {
            return null;
        }

        decimal? squares = 0m;
        foreach (var number in numbers)
        {
            squares =
                squares is { } known && Arithmetic.Subtract(number, mean) is { } off && Arithmetic.Multiply(off, off) is { } square
                    ? Arithmetic.Add(known, square)
                    : null;
        }

        return squares is { } sum ? Arithmetic.Divide(sum, numbers.Length - less) : null;
    }

    private static decimal? Place(IEnumerable<decimal> sorted, decimal n)
    {
        var numbers = sorted.ToArray();
        return n >= 1 && n <= numbers.Length ? numbers[(int)n - 1] : null;
    }
}
