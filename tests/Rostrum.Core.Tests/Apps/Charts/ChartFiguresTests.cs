using System.Globalization;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Tests.Apps.Charts;

public sealed class ChartFiguresTests
{
    private static readonly RecordFormat Format = RecordFormat.For(
        CultureInfo.GetCultureInfo("en-GB"),
        TimeZoneInfo.FindSystemTimeZoneById("Europe/Oslo")
    );

    private static readonly ChartMeasure Count = new(null, "sailings");

    private static Field Field(FieldType type, string name = "at") =>
        new()
        {
            Name = new FieldName(name),
            Column = name,
            NativeType = "",
            Label = name,
            Type = type,
        };

    private static ChartGroup Group(object? key, decimal? number, object? split = null) => new(key, null, split, null, [number]);

    private static ChartShape By(Dimension by) => new(by, null, [Count]);

    [Fact]
    public void Months_without_records_have_a_place_and_count_nothing()
    {
        var by = new Dimension(Field(new FieldType.Instant()), Grouping.Month);
        var figures = ChartFigures.Of(By(by), [Group(new DateOnly(2026, 4, 1), 3), Group(new DateOnly(2026, 1, 1), 5)], Format);
        Assert.Equal(["Jan 2026", "Feb 2026", "Mar 2026", "Apr 2026"], figures.Categories.Select(category => category.Label));
        Assert.Equal<decimal?>([5m, 0m, 0m, 3m], figures.Series[0].Values);
    }

    [Fact]
    public void An_average_of_no_records_is_unknown_and_not_zero()
    {
        var by = new Dimension(Field(new FieldType.Date()), Grouping.Year);
        var shape = By(by) with { Measures = [new ChartMeasure(new FieldTotal(new FieldName("late"), Total.Average), "late")] };
        var figures = ChartFigures.Of(shape, [Group(new DateOnly(2024, 1, 1), 3), Group(new DateOnly(2026, 1, 1), 5)], Format);
        Assert.Equal<decimal?>([3m, null, 5m], figures.Series[0].Values);
    }

    [Fact]
    public void The_largest_have_a_place_and_the_others_one_together()
    {
        var by = new Dimension(Field(new FieldType.Text()), Grouping.Value);
        ChartGroup[] groups = [.. Enumerable.Range(1, 1_000).Select(number => Group($"g{number:0000}", number)), Group(null, 7)];
        var figures = ChartFigures.Of(By(by) with { Largest = 2 }, groups, Format);
        Assert.Equal(["g1000", "g0999", "blank", "998 others"], figures.Categories.Select(category => category.Label));
        Assert.Equal(groups.Sum(group => group.Numbers[0]), figures.Series[0].Values.Sum());
        var hidden = ChartFigures.Of(By(by) with { Largest = 2, ShowBlanks = false }, groups, Format);
        Assert.DoesNotContain(hidden.Categories, category => category.Label == "blank");
    }

    [Fact]
    public void Averages_cannot_be_put_together_so_the_rest_is_left_out_and_said()
    {
        var by = new Dimension(Field(new FieldType.Text()), Grouping.Value);
        var shape = By(by) with
        {
            Largest = 1,
            Measures = [new ChartMeasure(new FieldTotal(new FieldName("late"), Total.Average), "late")],
        };
        var figures = ChartFigures.Of(shape, [Group("a", 1), Group("b", 2), Group("c", 3)], Format);
        Assert.Equal("c", Assert.Single(figures.Categories).Label);
        Assert.Equal("2 smaller groups not shown.", Assert.Single(figures.Notes));
    }

    [Fact]
    public void More_series_than_colours_are_seven_and_the_others()
    {
        var by = new Dimension(Field(new FieldType.Text()), Grouping.Value);
        var split = new Dimension(Field(new FieldType.Text(), "of"), Grouping.Value);
        ChartGroup[] groups = [.. Enumerable.Range(1, 20).Select(number => Group("a", number, $"s{number}"))];
        var figures = ChartFigures.Of(By(by) with { Split = split }, groups, Format);
        Assert.Equal(ChartFigures.MostSeries, figures.Series.Length);
        Assert.Equal("13 others", figures.Series[^1].Label);
        Assert.Equal(210m, figures.Series.Sum(series => series.Values[0]));
    }

    [Fact]
    public void Shares_make_a_hundred_and_a_running_total_ends_with_the_sum()
    {
        var by = new Dimension(Field(new FieldType.Integer(0, 100)), Grouping.Value);
        ChartGroup[] groups = [Group(1m, 1), Group(2m, 2), Group(3m, 5)];
        Assert.Equal(100m, ChartFigures.Of(By(by) with { ShowAs = ShowAs.Share }, groups, Format).Series[0].Values.Sum());
        Assert.Equal<decimal?>(
            [1m, 3m, 8m],
            ChartFigures.Of(By(by) with { ShowAs = ShowAs.RunningTotal }, groups, Format).Series[0].Values
        );
    }

    [Fact]
    public void All_days_of_the_week_have_a_place_from_Monday()
    {
        var by = new Dimension(Field(new FieldType.Date()), Grouping.DayOfWeek);
        Assert.Equal(
            ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"],
            ChartFigures.Of(By(by), [Group(3m, 4)], Format).Categories.Select(category => category.Label)
        );
    }

    [Fact]
    public void Nothing_and_only_blanks_draw_nothing_or_one_place()
    {
        var by = new Dimension(Field(new FieldType.Date()), Grouping.Month);
        Assert.True(ChartFigures.Of(By(by), [], Format).IsEmpty);
        Assert.Equal("blank", Assert.Single(ChartFigures.Of(By(by), [Group(null, 4)], Format).Categories).Label);
    }

    [Fact]
    public void Ten_years_of_hours_have_no_place_each()
    {
        var by = new Dimension(Field(new FieldType.Instant()), Grouping.Hour);
        Assert.Empty(by.Between(new DateTime(2016, 1, 1), new DateTime(2026, 1, 1), ChartFigures.MostCategories));
        Assert.Equal(Grouping.Day, by.Coarser!.Grouping);
        Assert.Null((by with { Grouping = Grouping.Year }).Coarser);
    }

    [Theory]
    [InlineData(Grouping.Month, "2026-03-01")]
    [InlineData(Grouping.Week, "2026-03-02")]
    [InlineData(Grouping.Hour, "2026-03-29T02")]
    [InlineData(Grouping.HourOfDay, "13")]
    [InlineData(Grouping.Value, "")]
    public void A_key_stands_in_an_address_and_comes_back(Grouping grouping, string text)
    {
        var by = new Dimension(Field(new FieldType.Instant()), grouping);
        Assert.Equal(text, by.Text(by.Parse(text)));
    }

    [Fact]
    public void A_day_with_a_change_of_clocks_has_the_hours_that_it_has()
    {
        var by = new Dimension(Field(new FieldType.Instant()), Grouping.Day);
        var filter = Assert.IsType<Filter.And>(by.Is(new DateOnly(2026, 3, 29), Format.Zone));
        var (from, until) = (((Filter.Compare)filter.Parts[0]).Value, ((Filter.Compare)filter.Parts[1]).Value);
        Assert.Equal(TimeSpan.FromHours(23), (DateTimeOffset)until - (DateTimeOffset)from);
    }

    [Fact]
    public void A_chart_with_everything_the_same_and_a_target_has_both_on_its_axis()
    {
        var by = new Dimension(Field(new FieldType.Text()), Grouping.Value);
        var figures = ChartFigures.Of(By(by), [Group("a", 4), Group("b", 4)], Format);
        var panel = new ChartPanel { Name = "chart", Dataset = default };
        var plot = ChartPlot.Of(panel, figures, new HashSet<int>(), 9);
        Assert.InRange(plot.Target!.Value, 0, 1);
        Assert.All(plot.Bars, bar => Assert.InRange(bar.To, 0, plot.Target.Value));
        Assert.Empty(ChartPlot.Of(panel, figures, new HashSet<int> { 0 }, null).Bars);
    }
}
