using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Serialization;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live.Panels.Schedules;

namespace Rostrum.Web.Live.Panels.Calendar.Feed;

/// <summary>Records with a place in time as a file for calendar programs (RFC 5545).</summary>
internal static class CalendarFile
{
    /// <param name="name">What the calendar is called.</param>
    /// <param name="id">What tells its events from those of another calendar.</param>
    /// <param name="events">The events.</param>
    /// <param name="format">How the workspace writes; its clocks.</param>
    /// <param name="addressOf">Where an event's record is looked at, by its key; null where it is not.</param>
    public static string Of(string name, string id, IEnumerable<Event> events, RecordFormat format, Func<string, string?> addressOf)
    {
        var calendar = new Ical.Net.Calendar { ProductId = "-//Rostrum//Calendar//EN" };
        calendar.AddProperty("X-WR-CALNAME", name);
        foreach (var one in events)
        {
            var key = one.Key ?? $"{one.Start}-{one.Title}";
            calendar.Events.Add(
                new CalendarEvent
                {
                    Uid = $"{Uri.EscapeDataString(key)}.{id}",
                    Summary = one.Title,
                    Start = At(one, one.From, format),
                    End = one.Until > one.From ? At(one, one.Until, format) : null,
                    Categories = one.ColourSays is { } says ? [says] : [],
                    Url = one.Key is not null && addressOf(one.Key) is { } address ? new Uri(address) : null,
                    DtStamp = new CalDateTime(format.Clock.GetUtcNow().UtcDateTime),
                }
            );
        }

        return new CalendarSerializer().SerializeToString(calendar) ?? "";
    }

    // A day has no clocks; an hour is that of the workspace's.
    private static CalDateTime At(Event one, DateTime local, RecordFormat format) =>
        one.IsWholeDay ? new CalDateTime(DateOnly.FromDateTime(local)) : new CalDateTime(DayRange.Instant(local, format.Zone).UtcDateTime);
}
