using FsCheck.Xunit;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Core.Tests.Apps;

public sealed class FigurePeriodTests
{
    [Theory]
    [InlineData(Period.Day, "2026-11-23", "2026-11-23", "2026-11-22", "2026-11-22")]
    [InlineData(Period.Week, "2026-11-25", "2026-11-23", "2026-11-16", "2026-11-18")]
    [InlineData(Period.Month, "2026-11-23", "2026-11-01", "2026-10-01", "2026-10-23")]
    [InlineData(Period.Month, "2026-03-31", "2026-03-01", "2026-02-01", "2026-02-28")]
    [InlineData(Period.Quarter, "2026-05-02", "2026-04-01", "2026-01-01", "2026-02-01")]
    [InlineData(Period.Year, "2024-12-31", "2024-01-01", "2023-01-01", "2023-12-31")]
    public void A_period_is_compared_with_as_much_of_the_one_before(
        Period period,
        string today,
        string from,
        string beforeFrom,
        string beforeUntil
    ) => Assert.Equal(new FigurePeriod(Day(from), Day(today), Day(beforeFrom), Day(beforeUntil)), FigurePeriod.Of(period, Day(today)));

    [Property]
    public void The_one_before_ends_before_this_one_begins_and_is_no_longer(int days, byte which)
    {
        var today = new DateOnly(2026, 1, 1).AddDays(days % 40_000);
        var span = FigurePeriod.Of(FigurePeriod.Offered[which % 5].Period, today);
        Assert.True(span.BeforeFrom <= span.BeforeUntil && span.BeforeUntil < span.From && span.From <= span.Until);
        Assert.True(span.BeforeUntil.DayNumber - span.BeforeFrom.DayNumber <= span.Until.DayNumber - span.From.DayNumber);
    }

    private static DateOnly Day(string text) => DateOnly.ParseExact(text, "yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);
}
