using System.Collections.Immutable;
using System.Runtime.InteropServices;

namespace Rostrum.Core.Visuals;

/// <summary>Something that lasts from one moment to another.</summary>
/// <param name="From">When it begins.</param>
/// <param name="Until">When it is over: not before it begins.</param>
[StructLayout(LayoutKind.Auto)]
public readonly record struct Stretch(DateTime From, DateTime Until);

/// <summary>A place side by side with others at the same time.</summary>
/// <param name="Of">Which it is, by its number.</param>
/// <param name="Track">Its track, from 0.</param>
/// <param name="Tracks">How many tracks there are beside it.</param>
[StructLayout(LayoutKind.Auto)]
public readonly record struct Tracked(int Of, int Track, int Tracks);

/// <summary>Lays out days, and what lies on them.</summary>
public static class CalendarLayout
{
    /// <summary>The first day of the week in which a day lies.</summary>
    public static DateOnly StartOfWeek(DateOnly day, DayOfWeek first) => day.AddDays(-(((int)day.DayOfWeek - (int)first + 7) % 7));

    /// <summary>The days of the whole weeks that have a day of a month in them: 28 to 42.</summary>
    /// <param name="month">A day of the month.</param>
    /// <param name="first">The first day of a week.</param>
    public static ImmutableArray<DateOnly> Month(DateOnly month, DayOfWeek first)
    {
        var begin = new DateOnly(month.Year, month.Month, 1);
        var end = begin.AddMonths(1);
        var days = ImmutableArray.CreateBuilder<DateOnly>();
        for (var day = StartOfWeek(begin, first); day < end || days.Count % 7 != 0; day = day.AddDays(1))
        {
            days.Add(day);
        }

        return days.ToImmutable();
    }

    /// <summary>Tracks side by side, so that no two that overlap share one; each is as wide as its neighbours leave room.</summary>
    /// <remarks>
    /// In the order of their beginnings each goes to the first track that is free (interval partitioning: as many tracks as overlap at
    /// most). Those that touch one another by way of others have the same number of tracks.
    /// </remarks>
    /// <param name="stretches">What lasts; of no length counts as a moment that overlaps others of its time.</param>
    public static ImmutableArray<Tracked> Tracks(IReadOnlyList<Stretch> stretches)
    {
        ArgumentNullException.ThrowIfNull(stretches);
        var order = Enumerable
            .Range(0, stretches.Count)
            .OrderBy(at => stretches[at].From)
            .ThenByDescending(at => stretches[at].Until)
            .ToArray();
        var tracked = new Tracked[stretches.Count];
        var ends = new List<DateTime>();
        var group = new List<int>();
        void Close()
        {
            foreach (var at in group)
            {
                tracked[at] = tracked[at] with { Tracks = ends.Count };
            }

            group.Clear();
            ends.Clear();
        }

        foreach (var at in order)
        {
            var (from, until) = (stretches[at].From, After(stretches[at]));
            if (ends.Count > 0 && ends.All(end => end <= from))
            {
                Close();
            }

            var track = ends.FindIndex(end => end <= from);
            if (track < 0)
            {
                track = ends.Count;
                ends.Add(until);
            }
            else
            {
                ends[track] = until;
            }

            tracked[at] = new Tracked(at, track, 0);
            group.Add(at);
        }

        Close();
        return [.. tracked];
    }

    private static DateTime After(Stretch stretch) =>
        stretch.Until > stretch.From ? stretch.Until
        : stretch.From < DateTime.MaxValue ? stretch.From.AddTicks(1)
        : stretch.From;
}
