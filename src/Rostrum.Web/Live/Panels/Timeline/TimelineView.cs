using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Visuals;
using Rostrum.Web.Live.Panels.Schedules;

namespace Rostrum.Web.Live.Panels.Timeline;

/// <summary>Everything that the partial of a timeline shows.</summary>
internal sealed record TimelineView : ScheduleView
{
    /// <summary>How high a bar is with the room around it, in pixels; more where what really happened is drawn as well.</summary>
    public double BarRoom => Panel.ActualStart is null ? 28 : 36;

    public required TimelinePanel Panel { get; init; }

    public override SchedulePanel Schedule => Panel;

    public required TimelineScale Scale { get; init; }

    public ImmutableArray<TimelineLane> Lanes { get; init; } = [];

    /// <summary>Arrows from one bar to that which comes after it, by their numbers.</summary>
    public ImmutableArray<(TimelineBar From, TimelineBar To)> Arrows { get; init; } = [];

    public double Height => Lanes.Sum(lane => lane.Tracks * BarRoom);

    public override string Says
    {
        get
        {
            var culture = Run.Format.Culture;
            var last = Scale.Until.AddDays(-1);
            return Scale.Span switch
            {
                TimelineSpan.Day => Scale.From.ToString("dddd d MMMM yyyy", culture),
                TimelineSpan.Month => Scale.From.ToString("MMMM yyyy", culture),
                TimelineSpan.Year => Scale.From.ToString("yyyy", culture),
                TimelineSpan.FiveYears => $"{Scale.From.ToString("yyyy", culture)} – {last.ToString("yyyy", culture)}",
                _ => $"{Scale.From.ToString("d MMM", culture)} – {last.ToString("d MMM yyyy", culture)}",
            };
        }
    }

    public override IEnumerable<(string Word, string Label, bool IsSeen)> SpansOffered =>
        TimelinePanel.Spans.Select(offered => (Words.Of(offered.Span), offered.Label, offered.Span == Scale.Span));

    public override DateOnly Moved(int by) => TimelineScale.Next(Scale.Span, Day, by);
}

/// <summary>A lane.</summary>
/// <param name="Label">What people read.</param>
/// <param name="Top">Where it begins, in tracks.</param>
/// <param name="Tracks">How many tracks it has.</param>
/// <param name="Bars">Its bars.</param>
internal sealed record TimelineLane(string Label, int Top, int Tracks, ImmutableArray<TimelineBar> Bars);

/// <summary>A bar, or a milestone.</summary>
/// <param name="Event">The record with its place in time.</param>
/// <param name="Track">Its track, counted over all lanes.</param>
/// <param name="From">Where it begins, from 0 to 1; before 0 where it began earlier.</param>
/// <param name="Until">Where it ends.</param>
/// <param name="Overlaps">Another of its lane is at the same time.</param>
internal sealed record TimelineBar(Event Event, int Track, double From, double Until, bool Overlaps)
{
    /// <summary>How much of it is done, from 0 to 1.</summary>
    public double? Done { get; init; }

    /// <summary>Where what really happened begins and ends.</summary>
    public (double From, double Until)? Actual { get; init; }

    /// <summary>Where the next of its track begins, from 0 to 1: so far its title may reach.</summary>
    public double Next { get; init; } = 1;

    /// <summary>The widths of the plot in which there is room for its title.</summary>
    public string TitleShown => AxisLabels.WithRoom(TextWidth.Of(Event.Title) + (Until > From ? 0 : 6), Math.Max(0, From), Next);

    /// <summary>What is read of it.</summary>
    public string Said { get; init; } = "";
}
