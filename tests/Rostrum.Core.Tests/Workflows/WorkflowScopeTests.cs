using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Tests.Apps;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;

namespace Rostrum.Core.Tests.Workflows;

/// <summary>Names and types within a workflow, and what is found wrong before it runs.</summary>
public sealed class WorkflowScopeTests
{
    private static readonly WorkflowSurroundings Alone = new(ImmutableDictionary<string, Workflow>.Empty, ["owner"], [], []);

    [Fact]
    public void A_reaction_knows_the_record_and_its_values_before_and_after()
    {
        var scope = Scope(Reaction(Compute("a", "trigger.record.vessel.name"), Compute("b", "trigger.after.vessel")));
        Assert.IsType<FormulaType.Text>(scope.ResultOf("a"));
        Assert.IsType<FormulaType.Number>(scope.ResultOf("b"));
        Assert.Null(Scope(Reaction(Compute("a", "trigger.after.vessel.name"))).ResultOf("a"));
    }

    [Fact]
    public void Later_steps_refer_to_what_earlier_ones_gave_and_not_the_other_way_round()
    {
        var first = Compute("first", "1");
        var second = Compute("second", "steps.first + 1");
        Assert.Empty(Problems(Reaction(first, second)));
        var swapped = Assert.Single(Problems(Reaction(second, first)));
        Assert.Equal(("second", "formula"), (swapped.Step, swapped.Setting));
    }

    [Fact]
    public void A_misspelt_name_is_found_with_what_was_probably_meant()
    {
        var problem = Assert.Single(Problems(Reaction(Compute("total", "1"), Compute("more", "steps.totl + 1"))));
        Assert.Equal(("total", "steps.total + 1"), (problem.CorrectionSays, problem.Correction));
    }

    [Fact]
    public void Within_a_loop_each_has_its_name_and_outside_it_has_none()
    {
        var loop = new FlowStep(
            "f",
            new ForEach
            {
                List = "steps.found",
                ItemName = "defect",
                Steps = [Compute("inner", "defect.cost * 2")],
                Collected = "inner",
                Name = "doubled",
            }
        );
        var found = new FlowStep("r", new ReadRecords { Dataset = Sample.Defects.Id, Name = "found" });
        var workflow = Reaction(found, loop, Compute("sum", "SUM(steps.doubled)"));
        Assert.Empty(Problems(workflow));
        Assert.IsType<FormulaType.Number>(Scope(workflow).ResultOf("sum"));
        Assert.NotEmpty(Problems(Reaction(found, loop, Compute("x", "defect.cost"))));
        Assert.NotEmpty(Problems(Reaction(found, loop, Compute("x", "steps.inner"))));
    }

    [Fact]
    public void What_a_failure_says_is_known_where_it_is_dealt_with_alone()
    {
        FlowStep Attempt(string formula) => new("t", new Attempt { Steps = [], OnFailure = [Compute("c", formula)] });
        Assert.Empty(Problems(Reaction(Attempt("failure.message"))));
        Assert.NotEmpty(Problems(Reaction(Compute("c", "failure.message"))));
    }

    [Fact]
    public void A_new_name_of_a_result_is_followed_wherever_it_is_used()
    {
        var workflow = Reaction(
            Compute("total", "1"),
            new FlowStep("d", new Decide { Cases = [new("steps.total > 1", [Compute("in", "steps.total")])] }),
            new FlowStep("m", new SendMail { To = "a@b.example", Subject = "${steps.total} of ${LEN(\"steps.total\")}" })
        );
        var renamed = WorkflowEdit.Rename(Scope(workflow), "total", "sum");
        Assert.Empty(Problems(renamed));
        Assert.Equal("sum", renamed.Find("total")!.Does.Name);
        Assert.Equal("steps.sum > 1", ((Decide)renamed.Find("d")!.Does).Cases[0].When);
        Assert.Equal("steps.sum", ((ComputeValue)renamed.Find("in")!.Does).Formula);
        Assert.Equal("${steps.sum} of ${LEN(\"steps.total\")}", ((SendMail)renamed.Find("m")!.Does).Subject);
    }

    [Fact]
    public void A_guard_takes_only_steps_that_may_run_within_a_save()
    {
        var guard = new Workflow(
            "guard",
            new BeforeSave { Dataset = Sample.Defects.Id },
            [new FlowStep("m", new SendMail { To = "a@b.example", Subject = "no" })]
        );
        Assert.Contains(Problems(guard), problem => problem.Message.Contains("cannot stand in a guard", StringComparison.Ordinal));
    }

    [Fact]
    public void What_nobody_sets_off_needs_a_role()
    {
        var nightly = new Workflow("nightly", new OnSchedule(), [Compute("a", "1")]);
        Assert.Equal("runsAs", Assert.Single(Problems(nightly)).Setting);
        Assert.Empty(Problems(nightly with { RunsAs = "owner" }));
        Assert.NotEmpty(Problems(nightly with { RunsAs = "nobody" }));
    }

    [Fact]
    public void Workflows_that_call_each_other_without_end_are_found()
    {
        Workflow Calls(string other) => new("calls", new OnDemand(), [new FlowStep("c", new CallWorkflow { Workflow = other })]);
        var around = Alone with
        {
            Workflows = ImmutableDictionary<string, Workflow>.Empty.Add("one", Calls("two")).Add("two", Calls("one")),
        };
        Assert.Contains(WorkflowProblems.Of("one", Calls("two"), Sample.Catalogue, around, null), problem =>
            problem.Message.Contains("without end", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_reaction_that_changes_what_it_hears_of_warns_and_one_that_hears_of_other_fields_does_not()
    {
        var update = new FlowStep(
            "u",
            new UpdateRecord
            {
                Dataset = Sample.Defects.Id,
                Record = "trigger.record",
                Values = ImmutableDictionary<string, string>.Empty.Add("state", "closed"),
            }
        );
        var workflow = Reaction(update);
        Assert.True(Assert.Single(Problems(workflow)).Warns);
        Assert.Empty(Problems(workflow with { Trigger = (AfterSave)workflow.Trigger with { Fields = [new("title")] } }));
    }

    [Fact]
    public void A_removed_dataset_and_a_removed_field_are_problems()
    {
        var gone = new FlowStep("r", new ReadRecord { Dataset = new DatasetId(Guid.NewGuid()), Name = "found" });
        Assert.Contains(Problems(Reaction(gone)), problem => problem.Message.Contains("no longer there", StringComparison.Ordinal));
        var field = new FlowStep(
            "u",
            new CreateRecord { Dataset = Sample.Vessels.Id, Values = ImmutableDictionary<string, string>.Empty.Add("colour", "red") }
        );
        Assert.Contains(Problems(Reaction(field)), problem => problem.Message.Contains("colour", StringComparison.Ordinal));
    }

    [Fact]
    public void A_webhooks_names_are_read_from_its_sample()
    {
        var workflow = new Workflow(
            "hook",
            new OnCall { Secret = "key", Sample = """{"order": 7, "lines": [{"name": "rope", "price": 2.5}], "at": "2026-03-01"}""" },
            [Compute("a", "SUM(trigger.lines.price) * trigger.order"), Compute("b", "trigger.at + 1")]
        )
        {
            RunsAs = "owner",
        };
        Assert.Empty(WorkflowProblems.Of("hook", workflow, Sample.Catalogue, Alone with { Secrets = ["key"] }, null));
    }

    [Fact]
    public void Every_kind_of_step_and_trigger_is_kept_as_it_is()
    {
        foreach (var kind in StepKind.All)
        {
            var step = kind.Make();
            Assert.Equal(KindJson.Write(step), KindJson.Write(KindJson.Read<Step>(KindJson.Write(step))!));
            Assert.All(kind.Settings, setting => Assert.NotNull(setting.Set(step, setting.Get(step))));
        }

        foreach (var kind in TriggerKind.All)
        {
            var trigger = kind.Make();
            Assert.Equal(KindJson.Write(trigger), KindJson.Write(KindJson.Read<Trigger>(KindJson.Write(trigger))!));
            Assert.All(kind.Settings, setting => Assert.NotNull(setting.Set(trigger, setting.Get(trigger))));
        }
    }

    private static FlowStep Compute(string id, string formula) => new(id, new ComputeValue { Name = id, Formula = formula });

    private static Workflow Reaction(params ImmutableArray<FlowStep> steps) =>
        new("reaction", new AfterSave { Dataset = Sample.Defects.Id }, steps);

    private static WorkflowScope Scope(Workflow workflow) =>
        new(workflow, Sample.Catalogue, DatasetShapes.Of(Sample.Catalogue, Grants.ViewEverything), null);

    private static ImmutableArray<WorkflowProblem> Problems(Workflow workflow) =>
        WorkflowProblems.Of("this", workflow, Sample.Catalogue, Alone, null);
}
