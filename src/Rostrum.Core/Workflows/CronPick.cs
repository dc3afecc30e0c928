using System.Collections.Immutable;
using System.Globalization;

namespace Rostrum.Core.Workflows;

/// <summary>How often times that were picked come.</summary>
public enum CronRepeat
{
    /// <summary>Every so many minutes.</summary>
    Minutes,

    /// <summary>Each hour, at the same minute.</summary>
    Hours,

    /// <summary>On some days of the week, at the same time.</summary>
    Days,

    /// <summary>On one day of each month, at the same time.</summary>
    Months,
}

/// <summary>Times of cron as they are picked from lists, without knowing how cron writes them.</summary>
/// <param name="Repeat">How often.</param>
public sealed record CronPick(CronRepeat Repeat)
{
    /// <summary>The day of a month that is its last, whichever that is.</summary>
    public const int LastDay = 0;

    /// <summary>Of <see cref="CronRepeat.Minutes"/>: every how many, from 1 to 59.</summary>
    public int Every { get; init; } = 15;

    /// <summary>The time of the day; of <see cref="CronRepeat.Hours"/> only its minute.</summary>
    public TimeOnly At { get; init; } = new(6, 0);

    /// <summary>Of <see cref="CronRepeat.Days"/>: at least one.</summary>
    public ImmutableSortedSet<DayOfWeek> On { get; init; } = [.. Enum.GetValues<DayOfWeek>()];

    /// <summary>Of <see cref="CronRepeat.Months"/>: from 1 to 31, or <see cref="LastDay"/>.</summary>
    public int Day { get; init; } = 1;

    /// <summary>As cron writes them.</summary>
    public string Text =>
        Repeat switch
        {
            CronRepeat.Minutes => string.Create(CultureInfo.InvariantCulture, $"*/{Every} * * * *"),
            CronRepeat.Hours => string.Create(CultureInfo.InvariantCulture, $"{At.Minute} * * * *"),
            CronRepeat.Days => string.Create(CultureInfo.InvariantCulture, $"{At.Minute} {At.Hour} * * {DaysText}"),
            _ => string.Create(
                CultureInfo.InvariantCulture,
                $"{At.Minute} {At.Hour} {(Day == LastDay ? "L" : Day.ToString(CultureInfo.InvariantCulture))} * *"
            ),
        };

    private string DaysText =>
        On.Count == 7 ? "*"
        : On.SetEquals([.. Enumerable.Range(1, 5).Select(day => (DayOfWeek)day)]) ? "1-5"
        : string.Join(',', On.Select(day => (int)day));

    /// <summary>What was picked for some times; null where no list has them.</summary>
    public static CronPick? Of(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return text.Split(' ', StringSplitOptions.RemoveEmptyEntries) switch
        {
            [['*', '/', .. var every], "*", "*", "*", "*"] when Number(every, 1, 59) is { } minutes => new(CronRepeat.Minutes)
            {
                Every = minutes,
            },
            [var minute, "*", "*", "*", "*"] when Number(minute, 0, 59) is { } past => new(CronRepeat.Hours) { At = new TimeOnly(0, past) },
            [var minute, var hour, "*", "*", var days] when Clock(hour, minute) is { } at && DaysOf(days) is { IsEmpty: false } on => new(
                CronRepeat.Days
            )
            {
                At = at,
                On = on,
            },
            [var minute, var hour, var day, "*", "*"]
                when Clock(hour, minute) is { } at && (day == "L" ? LastDay : Number(day, 1, 31)) is { } number => new(CronRepeat.Months)
            {
                At = at,
                Day = number,
            },
            _ => null,
        };
    }

    // None where it is no list of days.
    private static ImmutableSortedSet<DayOfWeek> DaysOf(string text)
    {
        if (text == "*")
        {
            return [.. Enum.GetValues<DayOfWeek>()];
        }

        var days = ImmutableSortedSet.CreateBuilder<DayOfWeek>();
        foreach (var part in text.Split(','))
        {
            var ends = part.Split('-');
            if (Number(ends[0], 0, 7) is not { } first || Number(ends[^1], 0, 7) is not { } last || ends.Length > 2 || last < first)
            {
                return [];
            }

            // Sunday is both 0 and 7.
            days.UnionWith(Enumerable.Range(first, last - first + 1).Select(day => (DayOfWeek)(day % 7)));
        }

        return days.ToImmutable();
    }

    private static TimeOnly? Clock(string hour, string minute) =>
        (Number(hour, 0, 23), Number(minute, 0, 59)) is ({ } hours, { } minutes) ? new TimeOnly(hours, minutes) : null;

    private static int? Number(string text, int least, int most) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number >= least && number <= most
            ? number
            : null;
}
