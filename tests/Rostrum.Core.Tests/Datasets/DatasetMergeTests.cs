using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Tests.Apps;

namespace Rostrum.Core.Tests.Datasets;

public sealed class DatasetMergeTests
{
    private static readonly Dataset Before = Sample.Defects;

    private static Rule.Holds Rule(string name, string must = "cost > 0") => new Rule.Holds(must) { Name = name, Message = name };

    private static Dataset Labelled(Dataset dataset, string field, string label) =>
        dataset with
        {
            Fields = [.. dataset.Fields.Select(known => known.Name.Value == field ? known with { Label = label } : known)],
        };

    [Fact]
    public void Rules_that_two_add_are_both_there()
    {
        var merged = DatasetMerge.Onto(Before with { Rules = [Rule("theirs")] }, Before, Before with { Rules = [Rule("mine")] })!;
        Assert.Equal(["theirs", "mine"], merged.Rules.Select(rule => rule.Name));
        var alike = DatasetMerge.Onto(Before with { Rules = [Rule("cost")] }, Before, Before with { Rules = [Rule("cost", "cost < 9")] })!;
        Assert.Equal(["cost", "cost_2"], alike.Rules.Select(rule => rule.Name));
    }

    [Fact]
    public void Settings_of_different_fields_and_of_the_dataset_are_joined()
    {
        var theirs = Labelled(Before, "title", "What") with { Label = "Faults" };
        var merged = DatasetMerge.Onto(theirs, Before, Labelled(Before, "cost", "Price"))!;
        Assert.Equal(("What", "Price", "Faults"), (merged[new("title")].Label, merged[new("cost")].Label, merged.Label));
    }

    [Fact]
    public void The_same_setting_set_to_different_things_is_a_conflict_and_to_the_same_thing_is_none()
    {
        Assert.Null(DatasetMerge.Onto(Labelled(Before, "title", "What"), Before, Labelled(Before, "title", "Which")));
        Assert.NotNull(DatasetMerge.Onto(Labelled(Before, "title", "What"), Before, Labelled(Before, "title", "What")));
        Assert.Null(
            DatasetMerge.Onto(
                Before with
                {
                    Rules = [Rule("one", "cost > 2")],
                },
                Before with
                {
                    Rules = [Rule("one")],
                },
                Before with
                {
                    Rules = [],
                }
            )
        );
    }

    [Fact]
    public void What_one_removes_stays_removed_and_what_one_moves_stays_moved()
    {
        var two = Before with { Rules = [Rule("one"), Rule("two")] };
        Assert.Equal(
            ["two"],
            DatasetMerge.Onto(Labelled(two, "title", "What"), two, two with { Rules = [Rule("two")] })!.Rules.Select(rule => rule.Name)
        );
        var moved = Before with { Fields = [.. Before.Fields.Reverse()] };
        Assert.Equal(
            moved.Fields.Select(field => field.Name),
            DatasetMerge.Onto(Labelled(Before, "title", "What"), Before, moved)!.Fields.Select(field => field.Name)
        );
    }
}
