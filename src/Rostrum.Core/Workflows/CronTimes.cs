using System.Collections.Immutable;
using Cronos;

namespace Rostrum.Core.Workflows;

/// <summary>Times as cron has them: minute, hour, day of the month, month, day of the week.</summary>
/// <remarks>Where clocks go forward, a time that is skipped comes at the next moment that there is; where they go back, a fixed time comes
/// once (Cronos).</remarks>
public static class CronTimes
{
    /// <summary>What is wrong with a text; null where nothing is.</summary>
    public static string? Problem(string text) =>
        CronExpression.TryParse(text, out _)
            ? null
            : $"“{text}” names no times: minute, hour, day of the month, month and day of the week, such as 30 6 * * 1-5.";

    /// <summary>The next times after a moment; fewer where there are no more.</summary>
    /// <param name="text">The times.</param>
    /// <param name="after">The moment.</param>
    /// <param name="zone">The workspace's zone.</param>
    /// <param name="count">How many.</param>
    public static ImmutableArray<DateTimeOffset> Next(string text, DateTimeOffset after, TimeZoneInfo zone, int count)
    {
        if (!CronExpression.TryParse(text, out var times))
        {
            return [];
        }

        var found = ImmutableArray.CreateBuilder<DateTimeOffset>();
        for (var at = after; found.Count < count && times.GetNextOccurrence(at, zone) is { } next; at = next)
        {
            found.Add(next);
        }

        return found.ToImmutable();
    }
}

/// <summary>Times of cron in words, where there are plain ones.</summary>
public static class CronWords
{
    /// <summary>In words, or the times as they are written.</summary>
    public static string Of(string times)
    {
        ArgumentNullException.ThrowIfNull(times);
        return CronPick.Of(times) switch
        {
            { Repeat: CronRepeat.Minutes } pick => pick.Every == 1 ? "Every minute" : $"Every {pick.Every} minutes",
            { Repeat: CronRepeat.Hours } pick => $"Each hour, {pick.At.Minute} minutes past",
            { Repeat: CronRepeat.Days } pick => $"{Days(pick.On)} at {pick.At:HH:mm}",
            { Day: CronPick.LastDay } pick => $"On the last day of each month at {pick.At:HH:mm}",
            { } pick => $"On day {pick.Day} of each month at {pick.At:HH:mm}",
            null => $"At the times {times}",
        };
    }

    private static string Days(ImmutableSortedSet<DayOfWeek> days) =>
        days.Count == 7 ? "Each day"
        : days is [var only] ? $"Each {only}"
        : days is [DayOfWeek.Monday, .., DayOfWeek.Friday] && days.Count == 5 ? "Monday to Friday"
        : string.Join(", ", days.OrderBy(day => ((int)day + 6) % 7));
}
