using System.Globalization;
using System.Text.RegularExpressions;

namespace Rostrum.Core.Datasets;

/// <summary>
/// Reads days and times as people type them: as they are shown (<c>31 Mar 2026 14:30</c>), in figures in the order of the workspace's
/// country (<c>31/3/26</c>), by ISO 8601, and as distances from today (<c>today</c>, <c>-7</c>, <c>2 weeks ago</c>).
/// </summary>
public static partial class TypedMoment
{
    [GeneratedRegex(
        @"^(?<day>.*?)[\sT,]*(?<hour>\d{1,2})([:.](?<minute>\d{2}))(:(?<second>\d{2}(\.\d{1,7})?))?\s*(?<half>[ap]m)?$",
        Options,
        1000
    )]
    private static partial Regex WithTime { get; }

    [GeneratedRegex(@"^(?<hour>\d{1,2})[:.]?(?<minute>\d{2})?([:.](?<second>\d{2}(\.\d{1,7})?))?\s*(?<half>[ap]m)?$", Options, 1000)]
    private static partial Regex TimeAlone { get; }

    [GeneratedRegex(
        @"^(?<in>in\s+|\+)?(?<sign>-)?\s*(?<count>\d{1,5})\s*(?<unit>d|days?|w|weeks?|m|months?|y|years?)?(?<ago>\s+ago)?$",
        Options,
        1000
    )]
    private static partial Regex Distance { get; }

    [GeneratedRegex(@"^(?<one>\d{1,4})[./ -](?<two>\d{1,2})([./ -](?<three>\d{1,4}))?\.?$", Options, 1000)]
    private static partial Regex Figures { get; }

    [GeneratedRegex(
        @"^((?<day>\d{1,2})(st|nd|rd|th|\.)?[\s-]+(?<month>\p{L}{3,})\.?|(?<month>\p{L}{3,})\.?\s+(?<day>\d{1,2})(st|nd|rd|th)?)"
            + @"([,\s-]+(?<year>\d{4}|\d{2}))?$",
        Options,
        1000
    )]
    private static partial Regex InWords { get; }

    private const RegexOptions Options = RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant;

    /// <summary>A day; null where the text is none.</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="culture">Says in which order figures stand, and how months are called; English names are known as well.</param>
    /// <param name="today">The day from which distances are counted, and whose year is meant where none is typed.</param>
    public static DateOnly? Day(string text, CultureInfo culture, DateOnly today)
    {
        ArgumentNullException.ThrowIfNull(text);
        ArgumentNullException.ThrowIfNull(culture);
        text = text.Trim();
        return text.ToLowerInvariant() switch
        {
            "today" => today,
            "tomorrow" => Later(today, 1, 'd'),
            "yesterday" => Later(today, -1, 'd'),
            _ => ByDistance(text, today) ?? ByFigures(text, culture, today) ?? ByWords(text, culture, today),
        };
    }

    /// <summary>A day and a time; a day alone means its beginning, a time alone that of today. Null where the text is neither.</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="culture">As for a day.</param>
    /// <param name="now">What the clocks show.</param>
    public static DateTime? Moment(string text, CultureInfo culture, DateTime now)
    {
        ArgumentNullException.ThrowIfNull(text);
        text = text.Trim();
        if (text.Equals("now", StringComparison.OrdinalIgnoreCase))
        {
            return now.AddTicks(-(now.Ticks % TimeSpan.TicksPerMinute));
        }

        var today = DateOnly.FromDateTime(now);
        return WithTime.Match(text) is { Success: true } match && TimeOf(match) is { } time
            ? match.Groups["day"].Value.Trim() is { Length: > 0 } day
                ? Day(day, culture, today)?.ToDateTime(time)
                : today.ToDateTime(time)
            : Day(text, culture, today)?.ToDateTime(TimeOnly.MinValue);
    }

    /// <summary>A time of day, such as <c>14:30</c>, <c>1430</c>, <c>9</c> or <c>2:30 pm</c>; null where the text is none.</summary>
    public static TimeOnly? Time(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return TimeAlone.Match(text.Trim()) is { Success: true } match ? TimeOf(match) : null;
    }

    private static TimeOnly? TimeOf(Match match)
    {
        var hour = Number(match.Groups["hour"]);
        var minute = match.Groups["minute"].Success ? Number(match.Groups["minute"]) : 0;
        var second = match.Groups["second"].Success ? decimal.Parse(match.Groups["second"].Value, CultureInfo.InvariantCulture) : 0;
        hour = match.Groups["half"].Value.ToLowerInvariant() switch
        {
            "" => hour,
            _ when hour is < 1 or > 12 => -1,
            "pm" => (hour % 12) + 12,
            _ => hour % 12,
        };
        return hour is >= 0 and <= 23 && minute <= 59 && second < 60
            ? new TimeOnly(hour, minute).Add(TimeSpan.FromTicks((long)(second * TimeSpan.TicksPerSecond)))
            : null;
    }

    private static DateOnly? ByDistance(string text, DateOnly today)
    {
        var match = Distance.Match(text);
        var (ahead, sign, ago, unit) = (
            match.Groups["in"].Success,
            match.Groups["sign"].Success,
            match.Groups["ago"].Success,
            match.Groups["unit"].Value
        );

        // A number alone is the beginning of something else.
        if (!match.Success || (ahead ? sign || ago : sign == ago) || (unit.Length == 0 && (ago || match.Groups["in"].Length > 1)))
        {
            return null;
        }

        var count = Number(match.Groups["count"]);
        return Later(today, ahead ? count : -count, unit.Length == 0 ? 'd' : char.ToLowerInvariant(unit[0]));
    }

    private static DateOnly? Later(DateOnly today, int count, char unit)
    {
        try
        {
            return unit switch
            {
                'w' => today.AddDays(7 * count),
                'm' => today.AddMonths(count),
                'y' => today.AddYears(count),
                _ => today.AddDays(count),
            };
        }
        catch (ArgumentOutOfRangeException)
        {
            return null;
        }
    }

    private static DateOnly? ByFigures(string text, CultureInfo culture, DateOnly today)
    {
        var match = Figures.Match(text);
        if (!match.Success)
        {
            return null;
        }

        var (one, two, three) = (match.Groups["one"], match.Groups["two"], match.Groups["three"]);
        if (one.Length >= 3)
        {
            return three.Success ? Date(Number(one), Number(two), Number(three)) : null;
        }

        var order = culture.DateTimeFormat.ShortDatePattern.Where(letter => letter is 'd' or 'M' or 'y').Distinct().ToArray();
        if (order[0] == 'y' && three.Success)
        {
            return three.Length <= 2 ? Date(Year(one), Number(two), Number(three)) : null;
        }

        var (day, month) = Array.IndexOf(order, 'd') < Array.IndexOf(order, 'M') ? (one, two) : (two, one);
        return Date(three.Success ? Year(three) : today.Year, Number(month), Number(day));
    }

    private static DateOnly? ByWords(string text, CultureInfo culture, DateOnly today)
    {
        var match = InWords.Match(text);
        if (!match.Success || MonthOf(match.Groups["month"].Value, culture) is not { } month)
        {
            return null;
        }

        return Date(match.Groups["year"].Success ? Year(match.Groups["year"]) : today.Year, month, Number(match.Groups["day"]));
    }

    private static int? MonthOf(string typed, CultureInfo culture)
    {
        foreach (var known in new[] { culture, CultureInfo.InvariantCulture })
        {
            foreach (
                var names in new[]
                {
                    known.DateTimeFormat.AbbreviatedMonthNames,
                    known.DateTimeFormat.MonthNames,
                    known.DateTimeFormat.MonthGenitiveNames,
                }
            )
            {
                var at = Array.FindIndex(names, name =>
                    name.Length > 0 && known.CompareInfo.IsPrefix(name, typed, CompareOptions.IgnoreCase | CompareOptions.IgnoreNonSpace)
                );
                if (at >= 0)
                {
                    return at + 1;
                }
            }
        }

        return null;
    }

    // Two figures are a year of this century, unless that is far ahead.
    private static int Year(Group group) =>
        group.Length <= 2 ? CultureInfo.InvariantCulture.Calendar.ToFourDigitYear(Number(group)) : Number(group);

    private static int Number(Group group) => int.Parse(group.Value, NumberStyles.None, CultureInfo.InvariantCulture);

    private static DateOnly? Date(int year, int month, int day) =>
        year is >= 1 and <= 9999 && month is >= 1 and <= 12 && day >= 1 && day <= DateTime.DaysInMonth(year, month)
            ? new DateOnly(year, month, day)
            : null;
}
