using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Live.Panels.Schedules;

/// <summary>Records with a place in time, at a day that is looked at.</summary>
internal abstract record ScheduleView : ListView
{
    public abstract SchedulePanel Schedule { get; }

    public sealed override ListPanel List => Schedule;

    public DateOnly Today => Run.Context.Today;

    /// <summary>The day that is looked at.</summary>
    public DateOnly Day => State.Day ?? Today;

    /// <summary>What is not shown.</summary>
    public string? Note { get; init; }

    /// <summary>What is looked at, in words.</summary>
    public abstract string Says { get; }

    /// <summary>The day at which the time before (-1), or after (1), is looked at.</summary>
    public abstract DateOnly Moved(int by);

    /// <summary>How much can be seen at once: the word of each in an address, what people read, and whether it is seen now.</summary>
    public abstract IEnumerable<(string Word, string Label, bool IsSeen)> SpansOffered { get; }

    /// <summary>The same at another day, or with more or less seen at once.</summary>
    public string At(DateOnly day, string? span = null) => Address(State.Closed() with { Day = day, Span = span ?? State.Span });

    /// <summary>That no more than so many are shown.</summary>
    public string OnlyTheFirst(int most) =>
        $"The first {Run.Format.Display(new FieldType.Integer(), (long)most)} are shown: choose a shorter time, or search.";
}
