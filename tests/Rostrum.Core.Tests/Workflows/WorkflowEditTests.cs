using System.Collections.Immutable;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;

namespace Rostrum.Core.Tests.Workflows;

/// <summary>Steps are put in, moved, copied and taken out; and what became of it is said.</summary>
public sealed class WorkflowEditTests
{
    private static readonly Workflow Sample = new(
        "edit",
        new OnDemand(),
        [
            Leaf("s1"),
            new FlowStep("s2", new Decide { Cases = [new("TRUE", [Leaf("s3"), Leaf("s4")])], Otherwise = [Leaf("s5")] }),
            Leaf("s6"),
        ]
    );

    [Fact]
    public void A_step_moves_within_its_list_and_into_others_and_never_into_itself()
    {
        Assert.Equal("s2 s3 s4 s5 s1 s6", Order(WorkflowEdit.Move(Sample, "s1", new(null, 0, 2))));
        Assert.Equal("s2 s3 s1 s4 s5 s6", Order(WorkflowEdit.Move(Sample, "s1", new("s2", 0, 1))));
        Assert.Equal(new StepPosition("s2", 1, 0), WorkflowEdit.PositionOf(WorkflowEdit.Move(Sample, "s6", new("s2", 1, 0)), "s6"));
        Assert.Same(Sample, WorkflowEdit.Move(Sample, "s2", new("s2", 0, 0)));
    }

    [Fact]
    public void Up_and_down_are_one_place_and_undo_each_other()
    {
        Assert.Equal("s1 s2 s4 s3 s5 s6", Order(WorkflowEdit.Shift(Sample, "s3", 1)));
        Assert.Equal(Order(Sample), Order(WorkflowEdit.Shift(WorkflowEdit.Shift(Sample, "s3", 1), "s3", -1)));
        Assert.Equal(Order(Sample), Order(WorkflowEdit.Shift(Sample, "s1", -1)));
        Assert.Equal(Order(Sample), Order(WorkflowEdit.Shift(Sample, "s6", 1)));
    }

    [Fact]
    public void A_copy_has_identities_and_names_of_its_own_also_within()
    {
        var copied = WorkflowEdit.Duplicate(Sample, "s2");
        Assert.Equal(10, copied.All.Count());
        Assert.Equal(10, copied.All.Select(step => step.Id).Distinct().Count());
        var names = copied.All.Select(step => step.Does.Name).OfType<string>().ToArray();
        Assert.Equal(names.Distinct(StringComparer.OrdinalIgnoreCase), names);
    }

    [Fact]
    public void With_a_step_go_those_within_it() => Assert.Equal("s1 s6", Order(WorkflowEdit.Remove(Sample, "s2")));

    [Fact]
    public void What_is_different_is_said_in_sentences()
    {
        Assert.Empty(WorkflowComparison.Of(Sample, Sample));
        var changed = WorkflowEdit.Remove(WorkflowEdit.Shift(Sample, "s6", -1), "s5");
        changed = WorkflowEdit.Change(changed, "s1", step =>
            step with
            {
                IsOff = true,
                Does = ((ComputeValue)step.Does) with { Formula = "2" },
            }
        );
        Assert.Equal(
            [
                "“Compute a value: s1”: Formula: 1 → 2",
                "Step “Compute a value: s1” is off now",
                "Step “Decide” moved",
                "Step “Compute a value: s5” removed",
            ],
            WorkflowComparison.Of(Sample, changed).ToArray()
        );
    }

    private static string Order(Workflow workflow) => string.Join(' ', workflow.All.Select(step => step.Id));

    private static FlowStep Leaf(string id) => new(id, new ComputeValue { Name = id, Formula = "1" });
}
