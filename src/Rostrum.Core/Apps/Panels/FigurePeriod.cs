using System.Collections.Immutable;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A stretch of days up to today, and the one before it with which it is compared.</summary>
/// <param name="From">The first day.</param>
/// <param name="Until">The last day: today.</param>
/// <param name="BeforeFrom">The first day of the stretch before.</param>
/// <param name="BeforeUntil">Its last day: as far into that period as today is into this one, or its end where it is shorter.</param>
public sealed record FigurePeriod(DateOnly From, DateOnly Until, DateOnly BeforeFrom, DateOnly BeforeUntil)
{
    /// <summary>The periods, and what builders read.</summary>
    public static ImmutableArray<(string Value, string Label)> Words { get; } =
    [
        ("", "all"),
        ("day", "today"),
        ("week", "this week"),
        ("month", "this month"),
        ("quarter", "this quarter"),
        ("year", "this year"),
    ];

    /// <summary>The period in which a day lies, as far as it has gone. Weeks begin on Monday (ISO 8601).</summary>
    /// <param name="period">One of <see cref="Words"/> but the first.</param>
    /// <param name="today">The day.</param>
    public static FigurePeriod Of(string period, DateOnly today)
    {
        var from = StartOf(period, today);
        var before = StartOf(period, from.AddDays(-1));
        var gone = today.DayNumber - from.DayNumber;
        return new FigurePeriod(from, today, before, before.AddDays(Math.Min(gone, from.DayNumber - before.DayNumber - 1)));
    }

    private static DateOnly StartOf(string period, DateOnly day) => period switch
    {
        "day" => day,
        "week" => day.AddDays(-(((int)day.DayOfWeek + 6) % 7)),
        "month" => new DateOnly(day.Year, day.Month, 1),
        "quarter" => new DateOnly(day.Year, day.Month - ((day.Month - 1) % 3), 1),
        "year" => new DateOnly(day.Year, 1, 1),
        _ => throw new ArgumentOutOfRangeException(nameof(period), period, "no period"),
    };
}
