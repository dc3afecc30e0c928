using FsCheck;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Tests.Visuals;

/// <summary>Axes, bars, lines and slices, as laws over any numbers.</summary>
public sealed class ChartGeometryTests
{
    private static double[] Numbers(NormalFloat[] values) => [.. values.Select(value => Math.Clamp(value.Get, -1e20, 1e20))];

    [Law(2_000)]
    public void An_axis_covers_its_values_with_few_round_marks(NormalFloat[] values, bool withZero)
    {
        var numbers = Numbers(values);
        var axis = ValueAxis.Of(numbers, withZero);
        Assert.True(axis.Most > axis.Least);
        Assert.All(numbers, value => Assert.InRange(axis.At(value), -1e-9, 1 + 1e-9));
        if (withZero)
        {
            Assert.InRange(axis.At(0), -1e-9, 1 + 1e-9);
        }

        Assert.InRange(axis.Marks.Length, 2, 12);
        var first = axis.Step / Math.Pow(10, Math.Floor(Math.Log10(axis.Step) + 1e-9));
        Assert.Contains(new[] { 1d, 2, 5, 10 }, nice => Math.Abs(first - nice) < 1e-6);
    }

    [Theory]
    [InlineData(new double[0], 0, 1)]
    [InlineData(new[] { 7d }, 0, 8)]
    [InlineData(new[] { 0d, 0 }, 0, 1)]
    [InlineData(new[] { -3d, -3 }, -3, 0)]
    [InlineData(new[] { 0.001, 0.004 }, 0, 0.004)]
    [InlineData(new[] { -1e18, 1e18 }, -1e18, 1e18)]
    public void Nothing_one_value_and_huge_ones_have_an_axis_too(double[] values, double least, double most)
    {
        var axis = ValueAxis.Of(values, withZero: true);
        Assert.Equal(least, axis.Least, Math.Abs(least) * 1e-9 + 1e-12);
        Assert.True(axis.Most >= most, $"{axis.Most} is less than {most}");
    }

    [Fact]
    public void Whole_numbers_have_no_marks_between_them() =>
        Assert.Equal<double>([0, 1, 2], ValueAxis.Of([1, 2], withZero: true, whole: true).Marks);

    [Law(1_000)]
    public void Bars_stay_in_the_plot_and_side_by_side_none_covers_another(NormalFloat[][] series)
    {
        double?[][] values = [.. series.Select(one => Numbers(one).Select(value => (double?)value).ToArray())];
        var reach = BarLayout.Reach(values, Stacking.None);
        var axis = ValueAxis.Of(values.SelectMany(one => one).OfType<double>(), withZero: true);
        var bars = BarLayout.Of(reach, axis, sideBySide: true);
        Assert.All(bars, bar =>
        {
            Assert.InRange(bar.Start, 0, 1);
            Assert.InRange(bar.Start + bar.Width, 0, 1 + 1e-9);
            Assert.InRange(bar.From, -1e-9, 1 + 1e-9);
            Assert.InRange(bar.To, -1e-9, 1 + 1e-9);
        });
        var along = bars.OrderBy(bar => bar.Start).ToArray();
        Assert.All(along.Zip(along.Skip(1)), pair => Assert.True(pair.First.Start + pair.First.Width <= pair.Second.Start + 1e-9));
    }

    [Law(1_000)]
    public void Stacked_bars_add_up_and_shares_to_a_hundred(PositiveInt[][] series)
    {
        double?[][] values = [.. series.Select(one => one.Select(value => (double?)value.Get).ToArray())];
        var groups = values.Length == 0 ? 0 : values.Max(one => one.Length);
        var stacked = BarLayout.Reach(values, Stacking.Stacked);
        var shares = BarLayout.Reach(values, Stacking.Share);
        for (var group = 0; group < groups; group++)
        {
            var sum = values.Sum(one => group < one.Length ? one[group] ?? 0 : 0);
            Assert.Equal(sum, stacked.Max(one => one[group]?.To ?? 0), 1e-6);
            if (sum > 0)
            {
                Assert.Equal(100, shares.Max(one => one[group]?.To ?? 0), 1e-6);
            }
        }
    }

    [Fact]
    public void Negative_values_stack_below_zero() =>
        Assert.Equal(
            [(0d, 5d), (0d, -2d), (-2d, -5d)],
            BarLayout
                .Reach(
                    [
                        [5],
                        [-2],
                        [-3],
                    ],
                    Stacking.Stacked
                )
                .Select(series => series[0]!.Value)
        );

    [Fact]
    public void A_gap_in_a_line_is_a_gap()
    {
        var axis = ValueAxis.Of([0, 4], withZero: true);
        var stretches = LineLayout.Stretches([1, 2, null, 3, null, null, 4], axis);
        Assert.Equal(
            [
                [0, 1],
                [3],
                [6],
            ],
            stretches.Select(stretch => stretch.Select(one => one.Group))
        );
        Assert.Equal("M7.143 75 L21.429 50", LineLayout.Path(stretches[0].Select(one => one.Point with { Y = one.Point.Y }), 100));
    }

    [Law(1_000)]
    public void Slices_follow_one_another_and_make_a_whole(NormalFloat[] values)
    {
        double?[] numbers = [.. Numbers(values).Select(value => (double?)value)];
        var slices = Slice.Of(numbers);
        Assert.All(slices, slice => Assert.True(numbers[slice.Group] > 0));
        if (!slices.IsEmpty)
        {
            Assert.Equal(1, slices.Sum(slice => slice.Share), 1e-6);
        }

        Assert.All(slices.Zip(slices.Skip(1)), pair => Assert.Equal(pair.First.From + pair.First.Share, pair.Second.From, 1e-9));
    }

    [Law(1_000)]
    public void Labels_that_are_shown_do_not_touch(NonEmptyString[] labels, PositiveInt width)
    {
        double[] widths = [.. labels.Select(label => TextWidth.Of(label.Get))];
        var plot = 200d + (width.Get % 1_200);
        var every = AxisLabels.Every(widths, plot);
        var end = double.NegativeInfinity;
        for (var at = 0; at < widths.Length; at += every)
        {
            var middle = LineLayout.Middle(at, widths.Length) * plot;
            Assert.True(middle - (widths[at] / 2) >= end);
            end = middle + (widths[at] / 2) + AxisLabels.Between;
        }
    }

    [Theory]
    [InlineData("Kittiwake", 200, "Kittiwake")]
    [InlineData("A very long label indeed", 60, "A very l…")]
    [InlineData("לוח זמנים ארוך מאוד", 60, "לוח זמנ…")]
    public void A_label_is_cut_between_letters(string label, double width, string cut)
    {
        Assert.Equal(cut, TextWidth.Cut(label, width));
        Assert.True(TextWidth.Of(cut) <= width + 1e-9);
    }

    [Law(2_000)]
    public void Labels_moved_apart_do_not_touch_and_keep_their_order(NonNegativeInt[] places)
    {
        double[] wanted = [.. places.Take(8).Select(place => (double)(place.Get % 200))];
        var stands = AxisLabels.Apart(wanted, 14, 200);
        Assert.Equal(wanted.Length, stands.Length);
        int[] order = [.. Enumerable.Range(0, wanted.Length).OrderBy(at => wanted[at])];
        for (var at = 1; at < order.Length; at++)
        {
            Assert.True(stands[order[at]] - stands[order[at - 1]] >= 14 - 1e-9);
        }

        Assert.All(stands, place => Assert.True(place <= 200));
        Assert.All(
            Enumerable.Range(0, wanted.Length).Where(at => wanted.All(other => other == wanted[at] || Math.Abs(other - wanted[at]) > 150)),
            at => Assert.True(wanted.Count(other => other == wanted[at]) > 1 || Math.Abs(stands[at] - wanted[at]) < 14 * wanted.Length)
        );
    }
}
