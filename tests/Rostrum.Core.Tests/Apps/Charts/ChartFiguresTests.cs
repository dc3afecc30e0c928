using System.Globalization;
using Rostrum.Core.Apps.Panels;
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
    public void Each_grouping_that_suits_a_type_of_dates_has_words_for_its_groups()
    {
        FieldType[] types = [new FieldType.Date(), new FieldType.Instant(), new FieldType.LocalDateTime()];
        var tried = 0;
        foreach (var type in types)
        {
            foreach (var (grouping, _) in Dimension.Offered.Where(offered => Dimension.Suits(offered.Grouping, type)))
            {
                var by = new Dimension(Field(type), grouping);
                object? key =
                    grouping is Grouping.Hour ? new DateTime(2026, 3, 2, 13, 0, 0)
                    : by.Recurs ? 3m
                    : grouping is not Grouping.Value ? new DateOnly(2026, 3, 2)
                    : type switch
                    {
                        FieldType.Date => new DateOnly(2026, 3, 2),
                        FieldType.Instant => new DateTimeOffset(2026, 3, 2, 13, 0, 0, TimeSpan.Zero),
                        _ => new DateTime(2026, 3, 2, 13, 0, 0),
                    };
                var label = by.Label(key, null, Format);
                Assert.NotEmpty(by.Tick(key, label, Format));
                Assert.Equal(key, by.Parse(by.Text(key)));
                tried++;
            }
        }

        Assert.InRange(tried, 20, 40);
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
        var plot = ChartPlot.Of(panel, figures, new HashSet<int>(), [9, 5]);
        Assert.All(plot.References, line => Assert.InRange(line, 0, 1));
        Assert.All(plot.Bars, bar => Assert.InRange(bar.To, 0, plot.References.Min()));
        Assert.Empty(ChartPlot.Of(panel, figures, new HashSet<int> { 0 }, []).Bars);
    }

    // Fares a passenger: of groups together it is that of their sums, and never a sum of quotients.
    [Fact]
    public void A_formula_over_measures_is_computed_for_each_group_and_for_the_others_together()
    {
        var by = new Dimension(Field(new FieldType.Text()), Grouping.Value);
        var sum = new ChartMeasure(new FieldTotal(new FieldName("fare"), Total.Sum), "fare");
        static ChartGroup Both(string key, decimal fare, decimal people) => new(key, null, null, null, [fare, people]);
        var shape = new ChartShape(by, null, [sum, Count])
        {
            Formula = new MeasureFormula("a passenger", numbers => numbers[1] is null or 0 ? null : numbers[0] / numbers[1]),
            Largest = 1,
        };
        var figures = ChartFigures.Of(shape, [Both("a", 90, 9), Both("b", 100, 4), Both("c", 30, 6), Both("d", 5, 0)], Format);
        Assert.Equal(["b", "3 others"], figures.Categories.Select(category => category.Label));
        Assert.Equal<decimal?>([25m, 125m / 15], Assert.Single(figures.Series).Values);
        Assert.Equal("a passenger", figures.Series[0].Label);

        var beside = ChartFigures.Of(shape with { Largest = 0, FirstBesideFormula = true }, [Both("a", 90, 9), Both("d", 5, 0)], Format);
        Assert.Equal<decimal?>([90m, 5m], beside.Series[0].Values);
        Assert.Equal<decimal?>([10m, null], beside.Series[1].Values);
    }

    [Theory]
    [InlineData("9", 1)]
    [InlineData("Last year: 9\nAim: =page.aim * 2\n\n", 2)]
    [InlineData("", 0)]
    public void Reference_lines_are_read_and_written_line_by_line(string text, int count)
    {
        var lines = ReferenceLine.Read(text)!.Value;
        Assert.Equal(count, lines.Length);
        Assert.Equal(lines.AsEnumerable(), ReferenceLine.Read(ReferenceLine.Write(lines))!.Value.AsEnumerable());
        Assert.Null(ReferenceLine.Read(text + "\nAim: soon"));
    }

    [Theory]
    [InlineData(Grouping.Day, "2026-03-29", "2026-03-29", "2026-03-29")]
    [InlineData(Grouping.Week, "2026-03-23", "2026-03-23", "2026-03-29")]
    [InlineData(Grouping.Month, "2026-02-01", "2026-02-01", "2026-02-28")]
    public void A_stretch_of_the_calendar_narrows_a_list_to_its_days(Grouping grouping, string key, string from, string to)
    {
        var by = new Dimension(Field(new FieldType.Instant()), grouping);
        var condition = by.Condition(by.Parse(key))!;
        Assert.Equal((from, to), (condition.From, condition.To));
        Assert.Null((by with { Grouping = Grouping.HourOfDay }).Condition(13m));
        Assert.Equal(FieldCondition.Blank, Assert.Single(by.Condition(null)!.Values));
    }
}
