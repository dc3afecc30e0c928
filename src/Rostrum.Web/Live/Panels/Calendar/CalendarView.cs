using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Visuals;
using Rostrum.Web.Live.Panels.Calendar.Import;
using Rostrum.Web.Live.Panels.Schedules;

namespace Rostrum.Web.Live.Panels.Calendar;

/// <summary>Everything that the partials of a calendar show.</summary>
internal sealed record CalendarView : ScheduleView
{
    public required CalendarPanel Panel { get; init; }

    public override SchedulePanel Schedule => Panel;

    public CalendarSpan Span { get; init; }

    /// <summary>The days that are shown.</summary>
    public ImmutableArray<DateOnly> Days { get; init; } = [];

    public ImmutableArray<Event> Events { get; init; } = [];

    /// <summary>How many there are on each day, where there are too many to show them one by one; else none.</summary>
    public ImmutableDictionary<DateOnly, long> Counts { get; init; } = ImmutableDictionary<DateOnly, long>.Empty;

    /// <summary>Its records have hours, and not only days.</summary>
    public bool HasHours => Dataset.Find(Panel.Start!.Value)?.Type is not FieldType.Date;

    /// <summary>Whoever looks may have it in a calendar program.</summary>
    public bool MaySubscribe => Run.IsLive && Run.MayDownload(Dataset);

    /// <summary>Whoever looks may add the events of a file.</summary>
    public bool MayImport => Run.IsLive && AllowAdding && CalendarImport.TitleFields(Panel, Dataset, Grant).Any();

    private CultureInfo Culture => Run.Format.Culture;

    public override string Says =>
        Span switch
        {
            CalendarSpan.Month => Day.ToString("MMMM yyyy", Culture),
            CalendarSpan.Day => Day.ToString("dddd d MMMM yyyy", Culture),
            _ => $"{Days[0].ToString("d MMM", Culture)} – {Days[^1].ToString("d MMM yyyy", Culture)}",
        };

    public override IEnumerable<(string Word, string Label, bool IsSeen)> SpansOffered =>
        CalendarPanel.Spans.Select(offered => (Words.Of(offered.Span), offered.Label, offered.Span == Span));

    /// <summary>The day by itself.</summary>
    public string AtAlone(DateOnly day) => At(day, Words.Of(CalendarSpan.Day));

    public override DateOnly Moved(int by) =>
        TimelineScale.Next(
            Span switch
            {
                CalendarSpan.Month => TimelineSpan.Month,
                CalendarSpan.Day => TimelineSpan.Day,
                _ => TimelineSpan.Week,
            },
            Day,
            by
        );

    /// <summary>A new record on a day, or at an hour of it.</summary>
    public string NewAt(DateOnly day, int hour = 9)
    {
        var field = Dataset[Panel.Start!.Value];
        object value = field.Type switch
        {
            FieldType.Date => day,
            FieldType.LocalDateTime => day.ToDateTime(new TimeOnly(hour, 0)),
            _ => DayRange.Instant(day.ToDateTime(new TimeOnly(hour, 0)), Run.Format.Zone),
        };
        return Address(
            State.Closed() with
            {
                IsNew = true,
                NewWith = ImmutableSortedDictionary<string, string>.Empty.Add(field.Name.Value, FieldText.ToCanonical(field.Type, value)),
            }
        );
    }

    /// <summary>An event's hours, where it has some.</summary>
    public string Time(Event one) => one.IsWholeDay ? "" : one.From.ToString("t", Culture);

    /// <summary>What there is to say of an event.</summary>
    public string Said(Event one) => $"{one.Title}, {Rest(one)}";

    /// <summary>The same without what names it: when it is, and what its colour says.</summary>
    public string Rest(Event one)
    {
        var from = one.IsWholeDay ? one.From.ToString("d MMM", Culture) : one.From.ToString("d MMM t", Culture);
        var until =
            one.LastDay != DateOnly.FromDateTime(one.From) ? $" to {one.LastDay.ToString("d MMM", Culture)}"
            : one.IsWholeDay || one.Until == one.From ? ""
            : $" to {one.Until.ToString("t", Culture)}";
        return $"{from}{until}{(one.ColourSays is null ? "" : ", " + one.ColourSays)}";
    }

    /// <summary>The tracks of a week: the events that are on one of its days, each in a row that is free on all of its days.</summary>
    public ImmutableArray<(Event Event, int Track, int FirstDay, int Days)> WeekOf(int week)
    {
        var days = Days[(week * 7)..((week * 7) + 7)];
        Event[] events = [.. Events.Where(one => DateOnly.FromDateTime(one.From) <= days[6] && one.LastDay >= days[0])];
        var tracks = CalendarLayout.Tracks([
            .. events.Select(one => new Stretch(
                DateOnly.FromDateTime(one.From).ToDateTime(TimeOnly.MinValue),
                one.LastDay.AddDays(1).ToDateTime(TimeOnly.MinValue)
            )),
        ]);
        return
        [
            .. events.Select(
                (one, at) =>
                {
                    var first = Math.Max(0, DateOnly.FromDateTime(one.From).DayNumber - days[0].DayNumber);
                    var last = Math.Min(6, one.LastDay.DayNumber - days[0].DayNumber);
                    return (one, tracks[at].Track, first, last - first + 1);
                }
            ),
        ];
    }

    /// <summary>The events of a day that have hours, side by side where they overlap.</summary>
    public ImmutableArray<(Event Event, Tracked Place)> HoursOf(DateOnly day)
    {
        Event[] events = [.. Events.Where(one => IsAtHours(one) && DateOnly.FromDateTime(one.From) == day)];
        var tracks = CalendarLayout.Tracks([
            .. events.Select(one => new Stretch(one.From, one.Until - one.From < Shortest ? one.From + Shortest : one.Until)),
        ]);
        return [.. events.Select((one, at) => (one, tracks[at]))];
    }

    /// <summary>So many events beside one another can still be read in a week.</summary>
    public const int MostSideBySide = 5;

    /// <summary>The least height that an event takes: what is shorter could not be read.</summary>
    public static readonly TimeSpan Shortest = TimeSpan.FromMinutes(30);

    /// <summary>It is within one day, at hours.</summary>
    public static bool IsAtHours(Event one) => !one.IsWholeDay && one.LastDay == DateOnly.FromDateTime(one.From);
}
