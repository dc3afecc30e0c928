using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

public sealed class FieldTotalTests
{
    private static decimal? Over(Total total, params (object, long)[] values) => FieldTotal.Over(total, values);

    [Fact]
    public void Totals_are_over_values_and_how_often_each_is_there()
    {
        (object, long)[] values = [(1m, 3), (10L, 1), (4m, 2)];
        Assert.Equal(21m, Over(Total.Sum, values));
        Assert.Equal(3.5m, Over(Total.Average, values));
        Assert.Equal(2.5m, Over(Total.Median, values));
        Assert.Equal(1m, Over(Total.Least, values));
        Assert.Equal(10m, Over(Total.Most, values));
        Assert.Equal(3m, Over(Total.Distinct, values));
    }

    [Fact]
    public void Nothing_has_no_total_but_no_different_values_either()
    {
        Assert.Null(Over(Total.Median));
        Assert.Equal(0m, Over(Total.Distinct));
    }

    [Fact]
    public void A_sum_that_no_decimal_carries_is_said() => Assert.Throws<OverflowException>(() => Over(Total.Sum, (decimal.MaxValue, 2)));
}
