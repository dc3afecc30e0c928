using System.Collections.Immutable;
using System.Globalization;

namespace Rostrum.Core.Visuals;

/// <summary>How much of a timeline is seen at once.</summary>
public enum TimelineSpan
{
    /// <summary>A day.</summary>
    Day,

    /// <summary>A week.</summary>
    Week,

    /// <summary>A month.</summary>
    Month,

    /// <summary>A quarter.</summary>
    Quarter,

    /// <summary>A year.</summary>
    Year,

    /// <summary>Five years.</summary>
    FiveYears,
}

/// <summary>A mark of a timeline.</summary>
/// <param name="At">Where it stands, from 0 to 1.</param>
/// <param name="Label">What people read.</param>
/// <param name="IsMajor">It begins a longer stretch: a day among hours, a month among days.</param>
public sealed record TimelineMark(double At, string Label, bool IsMajor);

/// <summary>A stretch of time along a line.</summary>
/// <param name="From">Its beginning.</param>
/// <param name="Until">Its end, after that.</param>
/// <param name="Span">How much it is.</param>
public sealed record TimelineScale(DateTime From, DateTime Until, TimelineSpan Span)
{
    /// <summary>The stretch in which a day lies.</summary>
    /// <param name="span">How much is seen.</param>
    /// <param name="day">The day.</param>
    /// <param name="first">The first day of a week.</param>
    public static TimelineScale Of(TimelineSpan span, DateOnly day, DayOfWeek first)
    {
        var from = span switch
        {
            TimelineSpan.Day => day,
            TimelineSpan.Week => CalendarLayout.StartOfWeek(day, first),
            TimelineSpan.Month => new DateOnly(day.Year, day.Month, 1),
            TimelineSpan.Quarter => new DateOnly(day.Year, ((day.Month - 1) / 3 * 3) + 1, 1),
            TimelineSpan.Year => new DateOnly(day.Year, 1, 1),
            _ => new DateOnly(Math.Max(1, day.Year - 2), 1, 1),
        };
        return new TimelineScale(from.ToDateTime(TimeOnly.MinValue), Next(span, from, 1).ToDateTime(TimeOnly.MinValue), span);
    }

    /// <summary>The day at which the stretch before (-1) or after (1) is looked at.</summary>
    public static DateOnly Next(TimelineSpan span, DateOnly day, int by)
    {
        try
        {
            return span switch
            {
                TimelineSpan.Day => day.AddDays(by),
                TimelineSpan.Week => day.AddDays(7 * by),
                TimelineSpan.Month => day.AddMonths(by),
                TimelineSpan.Quarter => day.AddMonths(3 * by),
                TimelineSpan.Year => day.AddYears(by),
                _ => day.AddYears(5 * by),
            };
        }
        catch (ArgumentOutOfRangeException)
        {
            return day;
        }
    }

    /// <summary>Where a moment stands, from 0 to 1; beyond them where it is not on the line.</summary>
    public double At(DateTime moment) => (double)(moment - From).Ticks / (Until - From).Ticks;

    /// <summary>The marks, each at the beginning of its stretch.</summary>
    /// <param name="culture">How the workspace writes.</param>
    public ImmutableArray<TimelineMark> Marks(CultureInfo culture)
    {
        ArgumentNullException.ThrowIfNull(culture);
        var marks = ImmutableArray.CreateBuilder<TimelineMark>();
        for (var moment = From; moment < Until; moment = NextMark(moment))
        {
            marks.Add(new TimelineMark(At(moment), LabelOf(moment, culture), IsMajor(moment)));
        }

        return marks.ToImmutable();
    }

    private DateTime NextMark(DateTime moment) =>
        Span switch
        {
            TimelineSpan.Day => moment.AddHours(1),
            TimelineSpan.Week or TimelineSpan.Month => moment.AddDays(1),
            TimelineSpan.Quarter => moment.AddDays(moment.DayOfWeek is DayOfWeek.Monday ? 7 : (8 - (int)moment.DayOfWeek) % 7),
            TimelineSpan.Year => moment.AddMonths(1),
            _ => moment.AddMonths(3),
        };

    private string LabelOf(DateTime moment, CultureInfo culture) =>
        Span switch
        {
            TimelineSpan.Day => moment.ToString("HH:mm", culture),
            TimelineSpan.Week => moment.ToString("ddd d MMM", culture),
            TimelineSpan.Month => moment.Day.ToString(culture),
            TimelineSpan.Quarter => moment.ToString("d MMM", culture),
            TimelineSpan.Year => moment.ToString("MMM", culture),
            _ => moment.Month == 1 ? moment.Year.ToString("0", culture) : moment.ToString("MMM", culture),
        };

    private bool IsMajor(DateTime moment) =>
        Span switch
        {
            TimelineSpan.Day => moment.Hour % 6 == 0,
            TimelineSpan.Week or TimelineSpan.Month => moment.DayOfWeek is DayOfWeek.Monday,
            TimelineSpan.Quarter => moment.Day <= 7,
            TimelineSpan.Year => moment.Month % 3 == 1,
            _ => moment.Month == 1,
        };
}
