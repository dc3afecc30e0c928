using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Visuals;
using Rostrum.Sources;
using Rostrum.Web.Live.Panels.Schedules;

namespace Rostrum.Web.Live.Panels.Timeline;

internal sealed class TimelineReader() : PanelReader<TimelinePanel>("Timeline")
{
    private const int MostBars = 2_000;

    protected override async Task<object?> ReadAsync(PageRun run, TimelinePanel panel, CancellationToken cancellation) =>
        await ReadTimelineAsync(run, panel, cancellation);

    private static async Task<TimelineView> ReadTimelineAsync(PageRun run, TimelinePanel panel, CancellationToken cancellation)
    {
        var dataset = panel.Shown(run.DatasetOf(panel));
        var (narrowed, because, _) = run.Narrowed(panel, panel.RelatedTo, panel.Filter);
        var state = run.State.List(panel.Name);
        var view = new TimelineView
        {
            Run = run,
            Panel = panel,
            Dataset = dataset,
            Waiting = because,
            Scale = TimelineScale.Of(
                Words.Read<TimelineSpan>(state.Span) ?? panel.Span,
                state.Day ?? run.Context.Today,
                run.Format.Culture.DateTimeFormat.FirstDayOfWeek
            ),
        };
        if (because is not null || panel.Places(dataset) is not var (start, end))
        {
            return view with { Waiting = because ?? EventReading.NoPlace };
        }

        var reading = new EventReading(view, start, end)
        {
            Title = panel.BarTitle,
            Fields =
            [
                .. new[] { panel.Lanes, panel.Progress, panel.ActualStart, panel.ActualEnd, panel.After }.OfType<FieldName>(),
                .. panel.After is { } after && dataset.RelationOf(after) is { } relation ? new[] { relation.TargetField } : [],
            ],
            Most = MostBars,
        };
        var (result, events) = await reading.ReadAsync(
            narrowed!,
            DateOnly.FromDateTime(view.Scale.From),
            DateOnly.FromDateTime(view.Scale.Until),
            cancellation
        );
        view = view with { Result = result, Note = result is ReadResult.Rows { HasLater: true } ? view.OnlyTheFirst(MostBars) : null };
        view = view with { Lanes = LanesOf(view, events, reading) };
        return view with { Arrows = ArrowsOf(view) };
    }

    private static ImmutableArray<TimelineLane> LanesOf(TimelineView view, ImmutableArray<Event> events, EventReading reading)
    {
        var (panel, dataset, format) = (view.Panel, view.Dataset, view.Run.Format);
        var field = panel.Lanes is { } name ? dataset.Find(name) : null;
        var relation = field is null ? null : dataset.RelationOf(field.Name);
        string LaneOf(Event one) =>
            field is null ? one.Title
            : !one.Record.Has(field.Name) || one.Record[field.Name] is null ? format.Without(field)
            : relation is not null ? one.Record.TitleOf(relation.Name) ?? "–"
            : format.Display(field, one.Record[field.Name]);
        var lanes = ImmutableArray.CreateBuilder<TimelineLane>();
        var top = 0;
        foreach (var group in events.GroupBy(LaneOf).OrderBy(group => group.Key, StringComparer.Create(format.Culture, ignoreCase: true)))
        {
            Event[] own = [.. group];
            var tracks = CalendarLayout.Tracks([.. own.Select(one => new Stretch(one.From, one.Until))]);
            lanes.Add(
                new TimelineLane(
                    group.Key,
                    top,
                    tracks.Max(track => track.Track) + 1,
                    WithNext([.. own.Select((one, at) => Bar(view, one, top + tracks[at].Track, tracks[at].Tracks > 1, reading))])
                )
            );
            top += lanes[^1].Tracks;
        }

        return lanes.ToImmutable();
    }

    private static ImmutableArray<TimelineBar> WithNext(TimelineBar[] bars)
    {
        var tracks = bars.ToLookup(bar => bar.Track, bar => bar.From);
        var starts = tracks.ToDictionary(track => track.Key, track => track.Order().ToArray());
        return [.. bars.Select(bar => bar with { Next = starts[bar.Track].FirstOrDefault(start => start > bar.From, 1) })];
    }

    private static TimelineBar Bar(TimelineView view, Event one, int track, bool overlaps, EventReading reading)
    {
        var (panel, scale, format) = (view.Panel, view.Scale, view.Run.Format);
        object? Value(FieldName? name) =>
            name is { } known && one.Record.Has(known) && one.Record[known] is { } value and not Unreadable ? value : null;
        var done = Value(panel.Progress) is { } progress ? Convert.ToDouble(progress, CultureInfo.InvariantCulture) / 100 : (double?)null;
        var began = reading.Local(Value(panel.ActualStart));
        var ended = reading.Local(Value(panel.ActualEnd));
        var until = ended is { } over ? (one.IsWholeDay ? over.AddDays(1) : over) : format.Now;
        string Shown(DateTime moment) => moment.ToString(one.IsWholeDay ? "d MMM yyyy" : "d MMM yyyy HH:mm", format.Culture);
        var said =
            $"{one.Title}: {Shown(one.From)}"
            + (one.Until > one.From ? $" to {(one.IsWholeDay ? Shown(one.Until.AddDays(-1)) : Shown(one.Until))}" : "")
            + (done is { } part ? $", {part.ToString("P0", format.Culture)} done" : "")
            + (began is { } at ? $", really from {Shown(at)}{(ended is { } to ? $" to {Shown(to)}" : " on")}" : "")
            + (one.ColourSays is null ? "" : $", {one.ColourSays}")
            + (overlaps ? ", overlaps another" : "");
        return new TimelineBar(one, track, scale.At(one.From), scale.At(one.Until), overlaps)
        {
            Done = done is { } known ? Math.Clamp(known, 0, 1) : null,
            Actual = began is { } from && until > from ? (scale.At(from), scale.At(until)) : null,
            Said = said,
        };
    }

    private static ImmutableArray<(TimelineBar From, TimelineBar To)> ArrowsOf(TimelineView view)
    {
        if (view.Panel.After is not { } after || view.Dataset.RelationOf(after) is not { } relation || relation.Target != view.Dataset.Id)
        {
            return [];
        }

        TimelineBar[] bars = [.. view.Lanes.SelectMany(lane => lane.Bars)];
        var byKey = bars.Where(bar => bar.Event.Record.Has(relation.TargetField) && bar.Event.Record[relation.TargetField] is not null)
            .DistinctBy(bar => bar.Event.Record[relation.TargetField]!)
            .ToDictionary(bar => bar.Event.Record[relation.TargetField]!);
        return
        [
            .. from bar in bars
            where bar.Event.Record.Has(after) && bar.Event.Record[after] is { } key && byKey.ContainsKey(key)
            select (byKey[bar.Event.Record[after]!], bar),
        ];
    }
}
