using System.Collections.Immutable;
using System.Globalization;
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
    private static readonly string[] Days = ["Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"];

    /// <summary>In words, or the times as they are written.</summary>
    public static string Of(string times)
    {
        ArgumentNullException.ThrowIfNull(times);
        return times.Split(' ', StringSplitOptions.RemoveEmptyEntries) switch
        {
            [var minute, "*", "*", "*", "*"] when minute.StartsWith("*/", StringComparison.Ordinal) => $"Every {minute[2..]} minutes",
            [var minute, "*", "*", "*", "*"] when Number(minute) is { } past => $"Each hour, {past} minutes past",
            [var minute, var hour, "*", "*", "*"] when Clock(hour, minute) is { } at => $"Each day at {at}",
            [var minute, var hour, "*", "*", "1-5"] when Clock(hour, minute) is { } at => $"Monday to Friday at {at}",
            [var minute, var hour, "*", "*", var day] when Clock(hour, minute) is { } at && Number(day) is >= 0 and <= 6 and var number =>
                $"Each {Days[number]} at {at}",
            [var minute, var hour, var day, "*", "*"] when Clock(hour, minute) is { } at && Number(day) is { } number =>
                $"On day {number} of each month at {at}",
            _ => $"At the times {times}",
        };
    }

    private static string? Clock(string hour, string minute) =>
        (Number(hour), Number(minute)) is ({ } hours, { } minutes) ? $"{hours:00}:{minutes:00}" : null;

    private static int? Number(string text) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;
}
