using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Tests.Datasets;

public sealed class FieldPairsTests
{
    [Theory]
    [InlineData("Starts", "Ends", true)]
    [InlineData("Planned start", "Planned end", true)]
    [InlineData("Estimated cost", "Actual cost", true)]
    [InlineData("Street", "Town", true)]
    [InlineData("First name", "Last name", true)]
    [InlineData("Ends", "Starts", false)]
    [InlineData("Start", "Title", false)]
    [InlineData("Planned start", "Actual end", false)]
    [InlineData("Start", "Planned end", false)]
    public void Fields_whose_labels_differ_in_one_word_of_a_pair_belong_together(string first, string second, bool belong) =>
        Assert.Equal(belong, FieldPairs.Belong(first, second));
}
