using System.Collections.Immutable;
using Rostrum.Core.Formulas.Functions;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A stretch of days up to today, and the one before it with which it is compared.</summary>
/// <param name="From">The first day.</param>
/// <param name="Until">The last day: today.</param>
/// <param name="BeforeFrom">The first day of the stretch before.</param>
/// <param name="BeforeUntil">Its last day: as far into that period as today is into this one, or its end where it is shorter.</param>
public sealed record FigurePeriod(DateOnly From, DateOnly Until, DateOnly BeforeFrom, DateOnly BeforeUntil)
{
    /// <summary>The periods, and what builders read.</summary>
    public static ImmutableArray<(Period Period, string Label)> Offered { get; } =
    [
        (Period.Day, "today"),
        (Period.Week, "this week"),
        (Period.Month, "this month"),
        (Period.Quarter, "this quarter"),
        (Period.Year, "this year"),
    ];

    /// <summary>The period in which a day lies, as far as it has gone. Weeks begin on Monday (ISO 8601).</summary>
    /// <param name="period">The period.</param>
    /// <param name="today">The day.</param>
    public static FigurePeriod Of(Period period, DateOnly today)
    {
        var from = StartOf(period, today);
        var before = StartOf(period, from.AddDays(-1));
        var gone = today.DayNumber - from.DayNumber;
        return new FigurePeriod(from, today, before, before.AddDays(Math.Min(gone, from.DayNumber - before.DayNumber - 1)));
    }

    private static DateOnly StartOf(Period period, DateOnly day) => DateFunctions.StartOf(day, period.ToString())!.Value;
}

/// <summary>A stretch of the calendar.</summary>
public enum Period
{
    /// <summary>A day.</summary>
    Day,

    /// <summary>A week, from Monday.</summary>
    Week,

    /// <summary>A month.</summary>
    Month,

    /// <summary>A quarter of a year.</summary>
    Quarter,

    /// <summary>A year.</summary>
    Year,
}
