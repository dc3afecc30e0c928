using System.Numerics;

namespace Rostrum.Core.Formulas.Functions;

/// <summary>Functions of numbers, by OpenFormula 1.2, section 6.16.</summary>
internal static class NumberFunctions
{
    [Function("The number without its sign.", Examples = ["ABS(-4) → 4"])]
    [Sql("abs({0})")]
    [Exactness(ExactnessRule.Least)]
    public static decimal Abs(decimal number) => Math.Abs(number);

    [Function(
        "The number with 15 significant digits: two that differ in their last digits only become one.",
        Examples = ["SETTLED(2 / 3) → 0.666666666666667", "SETTLED(12345678901234567) → 12345678901234600"]
    )]
    [Sql(Postgres = "to_char({0}, '9.99999999999999EEEE')::numeric")]
    [Exactness(ExactnessRule.Written)]
    public static decimal Settled(decimal number) => Arithmetic.Settle(number);

    [Function("-1, 0 or 1, by the number's sign.", Examples = ["SIGN(-0.5) → -1"])]
    [Sql("sign({0})", Width = SqlWidth.Count)]
    public static decimal Sign(decimal number) => Math.Sign(number);

    [Function("The next whole number below.", Examples = ["INT(-1.5) → -2", "INT(1.5) → 1"])]
    [Sql(Postgres = "floor({0})", MySql = "floor({0})", Sqlite = "{0}", Width = SqlWidth.Whole)]
    public static decimal Int(decimal number) => Math.Floor(number);

    [Function("The number with its further digits cut off.", Examples = ["TRUNC(-1.55, 1) → -1.5"])]
    [Sql(Postgres = "trunc({0}, {1:whole})", MySql = "truncate({0}, {1:whole})", Width = SqlWidth.Digits)]
    public static decimal? Trunc(decimal number, decimal digits = 0) => AtDigits(number, digits, decimal.Truncate);

    [Function(
        "The nearest number with so many digits after the point; halves away from zero.",
        Examples = ["ROUND(2.5) → 3", "ROUND(-2.5) → -3", "ROUND(1234.567, -2) → 1200", "ROUND(BLANK, 2) → BLANK"]
    )]
    [Sql(Postgres = "round({0}, {1:whole})", MySql = "round({0}, {1:whole})", Width = SqlWidth.Digits)]
    public static decimal? Round(decimal number, decimal digits = 0) =>
        AtDigits(number, digits, static value => Math.Round(value, MidpointRounding.AwayFromZero));

    [Function("Away from zero to so many digits after the point.", Examples = ["ROUNDUP(1.21, 1) → 1.3", "ROUNDUP(-1.21, 1) → -1.3"])]
    [Sql(
        Postgres = "(trunc({0}, {1:whole}) + CASE WHEN trunc({0}, {1:whole}) = {0} THEN 0 ELSE sign({0}) * {1:unit} END)",
        MySql = "(truncate({0}, {1:whole}) + CASE WHEN truncate({0}, {1:whole}) = {0} THEN 0 ELSE sign({0}) * {1:unit} END)",
        Width = SqlWidth.Digits
    )]
    public static decimal? RoundUp(decimal number, decimal digits = 0) =>
        AtDigits(number, digits, static value => value < 0 ? Math.Floor(value) : Math.Ceiling(value));

    [Function("Towards zero to so many digits after the point.", Examples = ["ROUNDDOWN(-1.29, 1) → -1.2"])]
    [Sql(Postgres = "trunc({0}, {1:whole})", MySql = "truncate({0}, {1:whole})", Width = SqlWidth.Digits)]
    public static decimal? RoundDown(decimal number, decimal digits = 0) => AtDigits(number, digits, decimal.Truncate);

    [Function(
        "The next multiple of a step upwards; the step's sign does not count.",
        Examples = ["CEILING(4.2, 0.5) → 4.5", "CEILING(-4.2) → -4", "CEILING(-7, -3) → -6"]
    )]
    [Sql(
        Postgres = "CASE WHEN {1} = 0 AND {0} IS NOT NULL THEN 0 ELSE ceil({0:wide} / nullif(abs({1}), 0)) * abs({1}) END",
        MySql = "CASE WHEN {1} = 0 AND {0} IS NOT NULL THEN 0 ELSE (ceiling({0:wide} / nullif(abs({1}), 0)) + CASE WHEN {0} > 0 "
            + "AND {0:wide} / nullif(abs({1}), 0) = 0 THEN 1 ELSE 0 END) * abs({1}) END",
        Width = SqlWidth.Step
    )]
    public static decimal? Ceiling(decimal number, decimal step = 1) => AtStep(number, Math.Abs(step), Math.Ceiling);

    [Function(
        "The next multiple of a step upwards, or away from zero where the mode is not 0.",
        Examples = ["CEILING(-7, 3, 1) → -9", "CEILING(-7, 3, 0) → -6"]
    )]
    public static decimal? Ceiling(decimal number, decimal step, decimal mode) =>
        mode == 0 || number >= 0 ? Ceiling(number, step) : -Ceiling(-number, step);

    [Function(
        "The next multiple of a step downwards; the step's sign does not count.",
        Examples = ["FLOOR(4.7, 0.5) → 4.5", "FLOOR(-4.2) → -5", "FLOOR(-7, -3) → -9"]
    )]
    [Sql(
        Postgres = "CASE WHEN {1} = 0 AND {0} IS NOT NULL THEN 0 ELSE floor({0:wide} / nullif(abs({1}), 0)) * abs({1}) END",
        MySql = "CASE WHEN {1} = 0 AND {0} IS NOT NULL THEN 0 ELSE (floor({0:wide} / nullif(abs({1}), 0)) - CASE WHEN {0} < 0 "
            + "AND {0:wide} / nullif(abs({1}), 0) = 0 THEN 1 ELSE 0 END) * abs({1}) END",
        Width = SqlWidth.Step
    )]
    public static decimal? Floor(decimal number, decimal step = 1) => AtStep(number, Math.Abs(step), Math.Floor);

    [Function(
        "The next multiple of a step downwards, or towards zero where the mode is not 0.",
        Examples = ["FLOOR(-7, 3, 1) → -6", "FLOOR(-7, 3, 0) → -9"]
    )]
    public static decimal? Floor(decimal number, decimal step, decimal mode) =>
        mode == 0 || number >= 0 ? Floor(number, step) : -Floor(-number, step);

    [Function("The nearest multiple of a step; halves away from zero.", Examples = ["MROUND(7, 5) → 5", "MROUND(7.5, 5) → 10"])]
    [Sql(
        Postgres = "CASE WHEN {1} = 0 AND {0} IS NOT NULL THEN 0 ELSE round({0:wide} / nullif({1}, 0)) * {1} END",
        MySql = "CASE WHEN {1} = 0 AND {0} IS NOT NULL THEN 0 ELSE round({0:wide} / nullif({1}, 0)) * {1} END",
        Width = SqlWidth.Step
    )]
    public static decimal? MRound(decimal number, decimal step) =>
        AtStep(number, step, static value => Math.Round(value, MidpointRounding.AwayFromZero));

    [Function(
        "What a division leaves over, with the divisor's sign.",
        Examples = ["MOD(-3, 2) → 1", "MOD(3, -2) → -1", "MOD(3, 0) → BLANK"]
    )]
    [Sql(
        Postgres = "mod(mod({0}, nullif({1}, 0)) + {1}, nullif({1}, 0))",
        MySql = "mod(mod({0}, nullif({1}, 0)) + {1}, nullif({1}, 0))",
        Sqlite = "(({0} % nullif({1}, 0) + {1}) % nullif({1}, 0))",
        Width = SqlWidth.Second
    )]
    public static decimal? Mod(decimal number, decimal divisor)
    {
        if (divisor == 0)
        {
            return null;
        }

        var rest = Rest(number, divisor);
        return rest != 0 && (rest < 0) != (divisor < 0) ? rest + divisor : rest;
    }

    [Function("The whole part of a division.", Examples = ["QUOTIENT(-7, 2) → -3", "QUOTIENT(1, 0) → BLANK"])]
    [Sql(
        Postgres = "div({0}, nullif({1}, 0))",
        MySql = "truncate({0:wide} / nullif({1}, 0), 0)",
        Sqlite = "({0} / nullif({1}, 0))",
        Width = SqlWidth.Quotient
    )]
    public static decimal? Quotient(decimal number, decimal divisor) =>
        Arithmetic.Divide(number, divisor) is { } quotient ? decimal.Truncate(quotient) : null;

    [Function(
        "A number raised to a power.",
        Examples = ["POWER(2, 10) → 1024", "POWER(2, -2) → 0.25", "POWER(-8, 0.5) → BLANK", "POWER(10, 40) → BLANK", "POWER(0, 0) → 1"]
    )]
    [Exactness(ExactnessRule.Power)]
    public static decimal? Power(decimal number, decimal exponent)
    {
        if (exponent != decimal.Truncate(exponent) || Math.Abs(exponent) > 200)
        {
            return FromDouble(Math.Pow((double)number, (double)exponent));
        }

        var power = 1m;
        for (var i = 0; i < Math.Abs(exponent); i++)
        {
            if (Arithmetic.Multiply(power, number) is not { } next)
            {
                return exponent < 0 ? 0m : null;
            }

            power = next;
        }

        return exponent < 0 ? Arithmetic.Divide(1m, power) : power;
    }

    [Function("The square root; blank of a negative.", Examples = ["SQRT(9) → 3", "SQRT(-1) → BLANK"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? Sqrt(decimal number)
    {
        if (number <= 0)
        {
            return number < 0 ? null : 0m;
        }

        // Newton's iteration doubles the digits of a first guess that has 15.
        var root = (decimal)Math.Sqrt((double)number);
        return root == 0 ? 0m : (root + (number / root)) / 2;
    }

    [Function("e raised to a power.", Examples = ["EXP(0) → 1", "EXP(100) → BLANK"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? Exp(decimal number) => FromDouble(Math.Exp((double)number));

    [Function("The natural logarithm.", Examples = ["LN(1) → 0", "LN(0) → BLANK"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? Ln(decimal number) => FromDouble(Math.Log((double)number));

    [Function("The logarithm to a base.", Examples = ["LOG(8, 2) → 3", "LOG(1000) → 3"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? Log(decimal number, decimal @base = 10) =>
        FromDouble(
            @base == 10 ? Math.Log10((double)number)
            : @base == 2 ? Math.Log2((double)number)
            : Math.Log((double)number, (double)@base)
        );

    [Function("The logarithm to base ten.", Examples = ["LOG10(0.01) → -2"])]
    [Exactness(ExactnessRule.Rounded)]
    public static decimal? Log10(decimal number) => FromDouble(Math.Log10((double)number));

    [Function("The circle's circumference over its diameter.", Examples = ["ROUND(PI(), 4) → 3.1416"])]
    public static decimal Pi() => 3.1415926535897932384626433833m;

    [Function("The greatest whole number that divides all.", Examples = ["GCD(12, 18) → 6", "GCD(0, 5) → 5"])]
    public static decimal? Gcd(params decimal?[] numbers) => Whole(numbers) is { } whole ? whole.Aggregate(0m, Common) : null;

    [Function("The least whole number that all divide.", Examples = ["LCM(4, 6) → 12", "LCM(4, 0) → 0"])]
    public static decimal? Lcm(params decimal?[] numbers)
    {
        if (Whole(numbers) is not { } whole)
        {
            return null;
        }

        decimal? multiple = 1m;
        foreach (var number in whole)
        {
            multiple =
                number == 0 ? 0m
                : multiple is { } known ? Arithmetic.Multiply(known / Math.Max(1, Common(known, number)), number)
                : null;
        }

        return multiple;
    }

    [Function("The next even whole number away from zero.", Examples = ["EVEN(1.2) → 2", "EVEN(-3) → -4"])]
    [Sql(
        Postgres = "2 * sign({0}) * ceil(abs({0}) * 0.5)",
        MySql = "2 * sign({0}) * ceiling(abs({0}) * 0.5)",
        Sqlite = "({0} + {0} % 2)",
        Width = SqlWidth.Whole
    )]
    public static decimal? Even(decimal number) => RoundUp(number / 2) is { } half ? Arithmetic.Multiply(half, 2) : null;

    [Function("The next odd whole number away from zero.", Examples = ["ODD(1.2) → 3", "ODD(-2) → -3", "ODD(0) → 1"])]
    [Sql(
        Postgres = "CASE WHEN {0} < 0 THEN -1 ELSE 1 END * (ceil(abs({0})) + 1 - mod(ceil(abs({0})), 2))",
        MySql = "CASE WHEN {0} < 0 THEN -1 ELSE 1 END * (ceiling(abs({0})) + 1 - mod(ceiling(abs({0})), 2))",
        Sqlite = "({0} + CASE WHEN {0} % 2 <> 0 THEN 0 WHEN {0} < 0 THEN -1 ELSE 1 END)",
        Width = SqlWidth.Whole
    )]
    public static decimal? Odd(decimal number)
    {
        var away = number < 0 ? Math.Floor(number) : Math.Ceiling(number);
        return away % 2 != 0 ? away : Arithmetic.Add(away, number < 0 ? -1 : 1);
    }

    // .NET's own remainder overflows where one of the two is very long before the point and the other after it.
    private static decimal Rest(decimal number, decimal divisor)
    {
        try
        {
            return number % divisor;
        }
        catch (OverflowException)
        {
            var whole = BigInteger.DivRem(InLastDigits(number) % InLastDigits(divisor), BigInteger.Pow(10, 28), out var part);
            return (decimal)whole + ((decimal)part / 1e28m);
        }
    }

    // The number in units of its last possible digit, the 28th after the point.
    private static BigInteger InLastDigits(decimal number) =>
        (new BigInteger(decimal.Truncate(number)) * BigInteger.Pow(10, 28)) + new BigInteger((number - decimal.Truncate(number)) * 1e28m);

    internal static decimal? FromDouble(double value)
    {
        if (double.IsNaN(value) || Math.Abs(value) >= 7.9e28)
        {
            return null;
        }

        return (decimal)value;
    }

    private static decimal? AtDigits(decimal number, decimal digits, Func<decimal, decimal> round)
    {
        digits = decimal.Truncate(Math.Clamp(digits, -30, 30));
        if (digits >= 28)
        {
            return number;
        }

        if (digits < -28)
        {
            return 0m;
        }

        var factor = 1m;
        for (var i = 0; i < Math.Abs(digits); i++)
        {
            factor *= 10;
        }

        if (digits < 0)
        {
            return Arithmetic.Multiply(round(number / factor), factor);
        }

        var whole = decimal.Truncate(number);
        return Arithmetic.Multiply(number - whole, factor) is { } scaled ? Arithmetic.Add(whole, round(scaled) / factor) : number;
    }

    private static decimal? AtStep(decimal number, decimal step, Func<decimal, decimal> round) =>
        step == 0 ? 0m
        : Arithmetic.Divide(number, step) is { } steps ? Arithmetic.Multiply(round(Shown(steps, number, step)), step)
        : null;

    // A quotient too small for its digits is nothing, and is still more, or less, than nothing.
    private static decimal Shown(decimal steps, decimal number, decimal step) =>
        steps == 0 && number != 0 ? Math.Sign(number) * Math.Sign(step) * 0.1m : steps;

    private static decimal[]? Whole(decimal?[] numbers)
    {
        var whole = numbers.OfType<decimal>().Select(decimal.Truncate).ToArray();
        return whole.Any(number => number < 0) || whole.Length == 0 ? null : whole;
    }

    private static decimal Common(decimal one, decimal other)
    {
        while (other != 0)
        {
            (one, other) = (other, one % other);
        }

        return one;
    }
}
