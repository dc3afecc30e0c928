using System.Globalization;
using FsCheck;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>Days and times are read as people type them, and as they are shown.</summary>
public sealed class TypedMomentTests
{
    // A Friday.
    private static readonly DateOnly Today = new(2026, 11, 27);
    private static readonly CultureInfo British = CultureInfo.GetCultureInfo("en-GB");

    private static readonly RecordFormat[] Formats =
    [
        .. new[] { "en-GB", "en-US", "de-DE", "nb-NO", "fr-FR", "pl-PL", "sv-SE" }.Select(name =>
            RecordFormat.For(CultureInfo.GetCultureInfo(name), TimeZoneInfo.Utc)
        ),
    ];

    [Theory]
    [InlineData("en-GB", "8 Dec 2026", "2026-12-08")]
    [InlineData("en-GB", "08 dec 26", "2026-12-08")]
    [InlineData("en-GB", "8 December", "2026-12-08")]
    [InlineData("en-GB", "December 8th, 2026", "2026-12-08")]
    [InlineData("en-GB", "8/12/2026", "2026-12-08")]
    [InlineData("en-GB", "8.12.26", "2026-12-08")]
    [InlineData("en-GB", "8-12", "2026-12-08")]
    [InlineData("en-US", "12/8/2026", "2026-12-08")]
    [InlineData("de-DE", "8.12.2026", "2026-12-08")]
    [InlineData("de-DE", "8. Dezember 2026", "2026-12-08")]
    [InlineData("nb-NO", "8. des. 2026", "2026-12-08")]
    [InlineData("sv-SE", "26-12-08", "2026-12-08")]
    [InlineData("en-US", "2026-12-08", "2026-12-08")]
    [InlineData("en-GB", "today", "2026-11-27")]
    [InlineData("en-GB", "Yesterday", "2026-11-26")]
    [InlineData("en-GB", "-7", "2026-11-20")]
    [InlineData("en-GB", "+3", "2026-11-30")]
    [InlineData("en-GB", "2 weeks ago", "2026-11-13")]
    [InlineData("en-GB", "in 3 months", "2027-02-27")]
    [InlineData("en-GB", "-1y", "2025-11-27")]
    [InlineData("en-GB", "31 Feb 2026", null)]
    [InlineData("en-GB", "13/13/2026", null)]
    [InlineData("en-GB", "7", null)]
    [InlineData("en-GB", "7 days", null)]
    [InlineData("en-GB", "-99999y", null)]
    [InlineData("en-GB", "soon", null)]
    [InlineData("en-GB", "8 Foo 2026", null)]
    [InlineData("en-GB", "", null)]
    public void A_day_is_read(string culture, string typed, string? day) =>
        Assert.Equal(
            day,
            TypedMoment.Day(typed, CultureInfo.GetCultureInfo(culture), Today)?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture)
        );

    [Theory]
    [InlineData("8 Dec 2026 14:30", "2026-12-08 14:30:00")]
    [InlineData("8/12/26 2:30 pm", "2026-12-08 14:30:00")]
    [InlineData("2026-12-08T14:30:15", "2026-12-08 14:30:15")]
    [InlineData("8 Dec 2026", "2026-12-08 00:00:00")]
    [InlineData("tomorrow 9:05", "2026-11-28 09:05:00")]
    [InlineData("14.30", "2026-11-27 14:30:00")]
    [InlineData("now", "2026-11-27 10:20:00")]
    [InlineData("8 Dec 2026 25:00", null)]
    [InlineData("8 Dec 2026 13:00 pm", null)]
    public void A_moment_is_read(string typed, string? moment) =>
        Assert.Equal(
            moment,
            TypedMoment
                .Moment(typed, British, Today.ToDateTime(new TimeOnly(10, 20, 30)))
                ?.ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture)
        );

    [Theory]
    [InlineData("14:30", "14:30")]
    [InlineData("1430", "14:30")]
    [InlineData("9", "09:00")]
    [InlineData("9am", "09:00")]
    [InlineData("12 am", "00:00")]
    [InlineData("12:15pm", "12:15")]
    [InlineData("24:00", null)]
    [InlineData("9:75", null)]
    public void A_time_is_read(string typed, string? time) =>
        Assert.Equal(time, TypedMoment.Time(typed)?.ToString("HH:mm", CultureInfo.InvariantCulture));

    [Law(2000)]
    public bool What_a_form_shows_is_read_as_the_same(NonNegativeInt days, NonNegativeInt milliseconds) =>
        Formats.All(format =>
        {
            var day = DateOnly.MinValue.AddDays(days.Get % DateOnly.MaxValue.DayNumber);
            var moment = day.ToDateTime(TimeOnly.MinValue).AddMilliseconds(milliseconds.Get % 86_400_000);
            return Same(new FieldType.Date(), day, format) && Same(new FieldType.LocalDateTime(), moment, format);
        });

    private static bool Same(FieldType type, object value, RecordFormat format) =>
        FieldText.FromForm(type, FieldText.InForm(type, value, format), format) is Parsed.Value { Is: { } read } && read.Equals(value);
}
