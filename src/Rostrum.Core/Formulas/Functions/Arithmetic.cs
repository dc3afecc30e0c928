namespace Rostrum.Core.Formulas.Functions;

/// <summary>The operators' computations. What has no answer, overflow among it, is blank.</summary>
internal static class Arithmetic
{
    [Exactness(ExactnessRule.Sum)]
    public static decimal? Add(decimal left, decimal right)
    {
        try
        {
            return left + right;
        }
        catch (OverflowException)
        {
            return null;
        }
    }

    [Exactness(ExactnessRule.Sum)]
    public static decimal? Subtract(decimal left, decimal right)
    {
        try
        {
            return left - right;
        }
        catch (OverflowException)
        {
            return null;
        }
    }

    [Exactness(ExactnessRule.Product)]
    public static decimal? Multiply(decimal left, decimal right)
    {
        try
        {
            return left * right;
        }
        catch (OverflowException)
        {
            return null;
        }
    }

    [Exactness(ExactnessRule.Division)]
    public static decimal? Divide(decimal left, decimal right)
    {
        try
        {
            return right == 0 ? null : left / right;
        }
        catch (OverflowException)
        {
            return null;
        }
    }

    [Exactness(ExactnessRule.Power)]
    public static decimal? Power(decimal left, decimal right) => NumberFunctions.Power(left, right);

    [Exactness(ExactnessRule.Least)]
    public static decimal Negate(decimal operand) => -operand;

    [Exactness(ExactnessRule.Least)]
    public static decimal? Percent(decimal operand) => Divide(operand, 100m);

    public static DateOnly? AddDays(DateOnly left, decimal right) => Calendar.Plus(left, right);

    public static DateOnly? SubtractDays(DateOnly left, decimal right) => Calendar.Plus(left, -right);

    public static decimal DaysBetween(DateOnly left, DateOnly right) => left.DayNumber - right.DayNumber;

    [Exactness(ExactnessRule.Written)]
    public static DateTimeOffset? AddTo(DateTimeOffset left, decimal right) => Calendar.Plus(left, right);

    [Exactness(ExactnessRule.Written)]
    public static DateTimeOffset? SubtractFrom(DateTimeOffset left, decimal right) => Calendar.Plus(left, -right);

    /// <summary>Days with 20 digits after the point, so that there is one number for a stretch of time, whoever computes it.</summary>
    public static decimal Between(DateTimeOffset left, DateTimeOffset right)
    {
        var (days, rest) = Math.DivRem((left - right).Ticks, TimeSpan.TicksPerDay);
        return days + Math.Round((decimal)rest / TimeSpan.TicksPerDay, 20, MidpointRounding.AwayFromZero);
    }

    /// <summary>The number with 15 significant digits; halves away from zero. What is computed with it is settled again.</summary>
    [Exactness(ExactnessRule.Rounded)]
    public static decimal Settle(decimal number)
    {
        var size = Math.Abs(number);
        var decimals = 14;
        for (; size >= 10 && decimals > -14; decimals--)
        {
            size /= 10;
        }

        for (; size is > 0 and < 1 && decimals < 28; decimals++)
        {
            size *= 10;
        }

        return decimals >= 0
            ? Math.Round(number, decimals, MidpointRounding.AwayFromZero)
            : NumberFunctions.Round(number, decimals) ?? number;
    }

    public static string? Join(string? left, string? right) => TextFunctions.Limited([left, right], "") ? left + right : null;
}

/// <summary>Moving by days, with a blank past the ends of the calendar.</summary>
internal static class Calendar
{
    // Databases keep instants to the microsecond.
    private const decimal MicrosecondsPerDay = 86_400_000_000m;

    public static DateOnly? Plus(DateOnly date, decimal days)
    {
        var number = date.DayNumber + decimal.Truncate(Math.Clamp(days, -4_000_000m, 4_000_000m));
        return number < DateOnly.MinValue.DayNumber || number > DateOnly.MaxValue.DayNumber ? null : DateOnly.FromDayNumber((int)number);
    }

    public static DateTimeOffset? Plus(DateTimeOffset instant, decimal days)
    {
        var ticks =
            instant.UtcTicks
            + (
                Math.Round(Math.Clamp(days, -4_000_000m, 4_000_000m) * MicrosecondsPerDay, MidpointRounding.AwayFromZero)
                * TimeSpan.TicksPerMicrosecond
            );
        return ticks < DateTime.MinValue.Ticks || ticks > DateTime.MaxValue.Ticks ? null : new DateTimeOffset((long)ticks, TimeSpan.Zero);
    }

    public static DateOnly? Of(decimal year, decimal month, decimal day)
    {
        if (Math.Abs(year) > 20_000 || Math.Abs(month) > 200_000 || Math.Abs(day) > 8_000_000)
        {
            return null;
        }

        var months = (decimal.Truncate(year) * 12) + decimal.Truncate(month) - 1;
        return months < 12 || months >= 12 * 10_000
            ? null
            : Plus(new DateOnly((int)(months / 12), (int)(months % 12) + 1, 1), decimal.Truncate(day) - 1);
    }

    public static DateOnly? PlusMonths(DateOnly date, decimal months)
    {
        var all = (date.Year * 12) + date.Month - 1 + decimal.Truncate(Math.Clamp(months, -200_000m, 200_000m));
        return all < 12 || all >= 12 * 10_000
            ? null
            : new DateOnly(
                (int)(all / 12),
                (int)(all % 12) + 1,
                Math.Min(date.Day, DateTime.DaysInMonth((int)(all / 12), (int)(all % 12) + 1))
            );
    }
}
