using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Visuals;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Schedules;

namespace Rostrum.Web.Live.Panels.Calendar;

internal sealed class CalendarReader() : PanelReader<CalendarPanel>("Calendar")
{
    private const int MostEvents = 600;
    private const int DaysOfAgenda = 28;

    protected override async Task<object?> ReadAsync(PageRun run, CalendarPanel panel, CancellationToken cancellation) =>
        await ReadCalendarAsync(run, panel, cancellation);

    private static async Task<CalendarView> ReadCalendarAsync(PageRun run, CalendarPanel panel, CancellationToken cancellation)
    {
        var dataset = panel.Shown(run.DatasetOf(panel));
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        var state = run.State.List(panel.Name);
        var span = Words.Read<CalendarSpan>(state.Span) ?? panel.Span;
        var view = new CalendarView
        {
            Run = run,
            Panel = panel,
            Dataset = dataset,
            Waiting = because,
            Span = span,
            Days = DaysOf(span, state.Day ?? run.Context.Today, run.Format.Culture.DateTimeFormat.FirstDayOfWeek),
        };
        if (because is not null || panel.Places(dataset) is not var (start, end))
        {
            return view with { Waiting = because ?? EventReading.NoPlace };
        }

        var reading = new EventReading(view, start, end) { Title = panel.EventTitle, Most = MostEvents };
        var (result, events) = await reading.ReadAsync(narrowed!, view.Days[0], view.Days[^1].AddDays(1), cancellation);
        view = view with { Result = result, Events = events };
        var isCut = result is ReadResult.Rows { HasLater: true };
        var isDense =
            span is CalendarSpan.Week && view.Days.Any(day => view.HoursOf(day).Any(one => one.Place.Tracks > CalendarView.MostSideBySide));
        if ((isCut && span is CalendarSpan.Month) || ((isCut || isDense) && span is CalendarSpan.Week))
        {
            // Too many to be read one by one: how many there are on each day, and the day itself shows them.
            var within = Filter.Both(narrowed!, reading.Within(view.Days[0], view.Days[^1].AddDays(1)));
            return view with { Events = [], Counts = await CountsAsync(view, start, within, cancellation) };
        }

        return isCut ? view with { Note = view.OnlyTheFirst(MostEvents) } : view;
    }

    private static ImmutableArray<DateOnly> DaysOf(CalendarSpan span, DateOnly day, DayOfWeek first) =>
        span switch
        {
            CalendarSpan.Month => CalendarLayout.Month(day, first),
            CalendarSpan.Week => [.. Enumerable.Range(0, 7).Select(CalendarLayout.StartOfWeek(day, first).AddDays)],
            CalendarSpan.Day => [day],
            _ => [.. Enumerable.Range(0, DaysOfAgenda).Select(day.AddDays)],
        };

    private static async Task<ImmutableDictionary<DateOnly, long>> CountsAsync(
        CalendarView view,
        Field start,
        Filter filter,
        CancellationToken cancellation
    )
    {
        var request = view.Run.Summary(view.Dataset, new Dimension(start, Grouping.Day).Columns("day"), [null], filter) with
        {
            Search = view.State.Search,
        };
        return
            await view.Run.Gate.SummariseAsync(view.Run.App.Datasets, request, view.Run.Grants, cancellation) is SummaryResult.Groups groups
            ? groups
                .Found.Where(group => group.Values[0] is DateOnly)
                .ToImmutableDictionary(group => (DateOnly)group.Values[0]!, group => (long)group.Numbers[0]!.Value)
            : ImmutableDictionary<DateOnly, long>.Empty;
    }
}
