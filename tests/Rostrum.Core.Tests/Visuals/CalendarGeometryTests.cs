using System.Globalization;
using FsCheck;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Tests.Visuals;

public sealed class CalendarGeometryTests
{
    private static readonly DateTime Begin = new(2026, 3, 1);

    private static Stretch[] Stretches((PositiveInt From, NonNegativeInt Lasts)[] parts) =>
        [
            .. parts.Select(part => new Stretch(
                Begin.AddMinutes(part.From.Get * 7 % 3_000),
                Begin.AddMinutes((part.From.Get * 7 % 3_000) + (part.Lasts.Get % 600))
            )),
        ];

    [Law(2_000)]
    public void No_two_that_overlap_share_a_track_and_there_are_no_more_tracks_than_overlap(
        (PositiveInt From, NonNegativeInt Lasts)[] parts
    )
    {
        var stretches = Stretches(parts);
        var tracks = CalendarLayout.Tracks(stretches);
        static DateTime End(Stretch one) => one.Until > one.From ? one.Until : one.From.AddTicks(1);
        bool Overlap(int one, int other) => stretches[one].From < End(stretches[other]) && stretches[other].From < End(stretches[one]);
        for (var one = 0; one < stretches.Length; one++)
        {
            Assert.InRange(tracks[one].Track, 0, tracks[one].Tracks - 1);
            for (var other = one + 1; other < stretches.Length; other++)
            {
                Assert.False(tracks[one].Track == tracks[other].Track && Overlap(one, other));
                Assert.True(!Overlap(one, other) || tracks[one].Tracks == tracks[other].Tracks);
            }
        }

        var most = stretches.Select(at => stretches.Count(other => other.From <= at.From && End(other) > at.From)).DefaultIfEmpty(0).Max();
        Assert.Equal(most, tracks.Select(track => track.Track + 1).DefaultIfEmpty(0).Max());
    }

    [Law(1_000)]
    public void A_month_is_whole_weeks_that_cover_it(PositiveInt day, bool fromSunday)
    {
        var month = new DateOnly(1990, 1, 1).AddDays(day.Get % 40_000);
        var first = fromSunday ? DayOfWeek.Sunday : DayOfWeek.Monday;
        var days = CalendarLayout.Month(month, first);
        Assert.Equal(0, days.Length % 7);
        Assert.InRange(days.Length, 28, 42);
        Assert.Equal(first, days[0].DayOfWeek);
        Assert.All(days.Zip(days.Skip(1)), pair => Assert.Equal(pair.First.AddDays(1), pair.Second));
        var begin = new DateOnly(month.Year, month.Month, 1);
        Assert.Equal(DateTime.DaysInMonth(month.Year, month.Month), days.Count(one => one >= begin && one < begin.AddMonths(1)));
    }

    [Fact]
    public void February_that_begins_with_the_week_takes_four_weeks() =>
        Assert.Equal(28, CalendarLayout.Month(new DateOnly(2027, 2, 14), DayOfWeek.Monday).Length);

    [Theory]
    [InlineData(TimelineSpan.Day)]
    [InlineData(TimelineSpan.Week)]
    [InlineData(TimelineSpan.Month)]
    [InlineData(TimelineSpan.Quarter)]
    [InlineData(TimelineSpan.Year)]
    [InlineData(TimelineSpan.FiveYears)]
    public void A_timeline_has_marks_in_order_from_its_beginning_and_its_neighbours_touch_it(TimelineSpan span)
    {
        var day = new DateOnly(2026, 5, 20);
        var scale = TimelineScale.Of(span, day, DayOfWeek.Monday);
        var marks = scale.Marks(CultureInfo.InvariantCulture);
        Assert.InRange(scale.At(day.ToDateTime(new TimeOnly(12, 0))), 0, 1);
        Assert.Equal(0, marks[0].At);
        Assert.All(marks.Zip(marks.Skip(1)), pair => Assert.True(pair.First.At < pair.Second.At));
        Assert.True(marks[^1].At < 1);
        var next = TimelineScale.Of(span, TimelineScale.Next(span, day, 1), DayOfWeek.Monday);
        Assert.True(next.From <= scale.Until && next.Until > scale.Until);
    }
}
