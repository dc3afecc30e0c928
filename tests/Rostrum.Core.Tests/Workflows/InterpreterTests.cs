using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using FsCheck;
using FsCheck.Fluent;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;
using Parallel = Rostrum.Core.Workflows.Steps.Parallel;

namespace Rostrum.Core.Tests.Workflows;

/// <summary>A run is found out from its workflow and what is known of its steps, whoever goes on with it.</summary>
public sealed class InterpreterTests
{
    [Fact]
    public void Steps_are_done_one_after_the_other_and_one_that_is_off_is_passed_over()
    {
        var workflow = Of(Leaf("a"), Leaf("b") with { IsOff = true }, Leaf("c"));
        Assert.Equal(["a", "c"], Ran(workflow, _ => new StepFlow.Gives(null)).Paths);
    }

    [Fact]
    public void Only_the_steps_of_the_case_that_holds_are_done()
    {
        var workflow = Of(
            new FlowStep("d", new Decide { Cases = [new("x", [Leaf("a")]), new("y", [Leaf("b")])], Otherwise = [Leaf("o")] }),
            Leaf("z")
        );
        StepFlow Way(DueStep due, int block) => due.Step.Id == "d" ? new StepFlow.Enters([block]) : new StepFlow.Gives(null);
        Assert.Equal(["d", "b", "z"], Ran(workflow, due => Way(due, 1)).Paths);
        Assert.Equal(["d", "o", "z"], Ran(workflow, due => Way(due, 2)).Paths);
    }

    [Fact]
    public void Branches_side_by_side_have_their_turns_at_the_same_moment_and_what_follows_waits_for_all()
    {
        var workflow = Of(new FlowStep("p", new Parallel { Branches = [new("one", [Leaf("a")]), new("two", [Leaf("b")])] }), Leaf("z"));
        var state = Interpreter.After(RunState.Fresh, Due(workflow, RunState.Fresh).Single(), new StepFlow.Enters([0, 1]), Written);
        Assert.Equal(["a", "b"], Due(workflow, state).Select(due => due.Path));
        state = Interpreter.Done(state, "b", null);
        Assert.Equal(["a"], Due(workflow, state).Select(due => due.Path));
        state = Interpreter.Done(state, "a", null);
        Assert.Equal(["z"], Due(workflow, state).Select(due => due.Path));
    }

    [Fact]
    public void Steps_for_each_are_done_for_each_in_order_and_their_results_are_collected()
    {
        var workflow = Of(
            new FlowStep(
                "f",
                new ForEach
                {
                    List = "x",
                    Steps = [Leaf("a")],
                    Collected = "a",
                }
            ),
            Leaf("z")
        );
        var (paths, state) = Ran(workflow, due => due.Step.Id == "f" ? new StepFlow.Repeats(["one", "two", "three"])
            : due.Step.Id == "a" ? new StepFlow.Gives(Assert.Single(due.Turns).Number + 1m)
            : new StepFlow.Gives(null));
        Assert.Equal(["f", "f[0]/a", "f[1]/a", "f[2]/a", "z"], paths);
        Assert.Equal("[1,2,3]", state["f"]!.Result!.Value.GetRawText());

        // Of what is over for one of many nothing is kept.
        Assert.DoesNotContain(state.Steps.Keys, path => path.StartsWith("f[", StringComparison.Ordinal));
    }

    [Fact]
    public void Some_at_once_begin_together_and_their_results_are_in_the_order_of_the_list()
    {
        var loop = new ForEach
        {
            List = "x",
            Steps = [Leaf("a")],
            AtOnce = 2,
            Collected = "a",
        };
        var workflow = Of(new FlowStep("f", loop), Leaf("z"));
        var begun = Interpreter.After(RunState.Fresh, Due(workflow, RunState.Fresh)[0], new StepFlow.Repeats([1m, 2m, 3m]), Written);
        Assert.Equal(["f[0]/a", "f[1]/a"], Due(workflow, begun).Select(due => due.Path));

        // One that is done before one before it keeps its place.
        var (state, due) = Interpreter.Settle(workflow, Interpreter.Done(begun, "f[1]/a", Written(20m)));
        Assert.Equal(["f[0]/a"], due.Select(one => one.Path));
        (state, due) = Interpreter.Settle(workflow, Interpreter.Done(state, "f[0]/a", Written(10m)));
        Assert.Equal(["f[2]/a"], due.Select(one => one.Path));
        (state, _) = Interpreter.Settle(workflow, Interpreter.Done(state, "f[2]/a", Written(30m)));
        Assert.Equal("[10,20,30]", state["f"]!.Result!.Value.GetRawText());

        // After a failure nothing more is begun, and the run fails once what was begun has come to its end.
        state = Interpreter.Failed(begun, "f[1]/a", "no room");
        Assert.Null(Interpreter.Settle(workflow, state).State.End);
        state = Interpreter.Settle(workflow, Interpreter.Done(state, "f[0]/a", null)).State;
        Assert.Equal(new RunEnd(RunEnding.Failed, "no room"), state.End);
    }

    [Fact]
    public void A_failure_for_one_ends_the_run_unless_the_loop_goes_on()
    {
        var loop = new ForEach { List = "x", Steps = [Leaf("a")] };
        StepFlow? Way(DueStep due) =>
            due.Step.Id == "f" ? new StepFlow.Repeats([1m, 2m, 3m])
            : due.Path == "f[1]/a" ? null
            : new StepFlow.Gives(null);
        var (paths, state) = Ran(Of(new FlowStep("f", loop), Leaf("z")), Way);
        Assert.Equal(RunEnding.Failed, state.End!.How);
        Assert.DoesNotContain("z", paths);

        (paths, state) = Ran(Of(new FlowStep("f", loop with { GoesOn = true }), Leaf("z")), Way);
        Assert.Equal(RunEnding.Done, state.End!.How);
        Assert.Equal(["f", "f[0]/a", "f[1]/a", "f[2]/a", "z"], paths);
        Assert.Equal(1, state["f"]!.Failures);
    }

    [Fact]
    public void What_is_for_a_failure_is_done_after_one_and_says_why()
    {
        var workflow = Of(new FlowStep("t", new Attempt { Steps = [Leaf("a"), Leaf("b")], OnFailure = [Leaf("c")] }), Leaf("z"));
        string? because = null;
        var (paths, state) = Ran(workflow, due =>
        {
            because ??= due.Step.Id == "c" ? due.Failure : null;
            return due.Step.Id == "t" ? new StepFlow.Enters([0])
                : due.Step.Id == "a" ? null
                : new StepFlow.Gives(null);
        });
        Assert.Equal(["t", "a", "c", "z"], paths);
        Assert.Equal("a failed", because);
        Assert.Equal(RunEnding.Done, state.End!.How);
    }

    [Fact]
    public void A_run_that_failed_goes_on_from_the_step_that_did()
    {
        var workflow = Of(Leaf("a"), Leaf("b"), Leaf("c"));
        var (_, state) = Ran(workflow, due => due.Step.Id == "b" ? null : new StepFlow.Gives(null));
        Assert.Equal("b failed", state.End!.Message);
        Assert.Equal(["b", "c"], Ran(workflow, _ => new StepFlow.Gives(null), Interpreter.Retried(state)).Paths);
    }

    [Fact]
    public void A_step_can_end_the_run_and_give_its_result()
    {
        var workflow = Of(Leaf("a"), Leaf("b"));
        var (paths, state) = Ran(workflow, due => new StepFlow.Ends(RunEnding.Stopped, "enough", "title", 7m));
        Assert.Equal(["a"], paths);
        Assert.Equal(
            (RunEnding.Stopped, "enough", "title", "7"),
            (state.End!.How, state.End.Message, state.End.Field, state.End.Result!.Value.GetRawText())
        );
    }

    [Fact]
    public void A_step_that_waits_has_its_turn_once_its_moment_has_come()
    {
        var workflow = Of(Leaf("a"));
        var moment = new DateTimeOffset(2026, 3, 29, 1, 0, 0, TimeSpan.Zero);
        var state = Interpreter.After(RunState.Fresh, Due(workflow, RunState.Fresh).Single(), new StepFlow.Waits(moment), Written);
        Assert.Equal(moment, Interpreter.NextMoment(state, Due(workflow, state)));
        Assert.Equal(StepStatus.Waiting, state["a"]!.Status);
    }

    // Wherever a node is lost, the next one finds the run where it was: its state is all that there is to know.
    [Law(2_000)]
    public Property Whoever_goes_on_with_a_run_does_what_is_left_of_it_and_nothing_twice() =>
        Prop.ForAll(Workflows().ToArbitrary(), workflow =>
        {
            var (whole, ended) = Ran(workflow, Way);
            var (parted, same) = Ran(workflow, Way, RunState.Fresh, Stored);
            Assert.Equal(whole, parted);
            Assert.Equal(whole.Distinct(), whole);
            Assert.Equal(ended.End, same.End);
            Assert.Equal(RunEnding.Done, ended.End!.How);

            // Of steps whose turn it is at the same moment, any may be done first.
            var (late, end) = Ran(workflow, Way, RunState.Fresh, Stored, due => due[^1]);
            Assert.Equal(whole.Order(), late.Order());
            Assert.Equal(ended.End, end.End);
        });

    private static StepFlow Way(DueStep due) =>
        due.Step.Does switch
        {
            Decide decide => new StepFlow.Enters([due.Path.Length % decide.Blocks.Length]),
            ForEach => new StepFlow.Repeats([.. Enumerable.Range(0, due.Path.Length % 4).Select(number => (object?)(decimal)number)]),
            ControlStep control => new StepFlow.Enters([.. Enumerable.Range(0, control is Attempt ? 1 : control.Blocks.Length)]),
            _ => new StepFlow.Gives(due.Path),
        };

    // As the store keeps it: what steps are done for stands apart.
    private static RunState Stored(RunState state)
    {
        var items = state.Steps.ToDictionary(step => step.Key, step => step.Value.Items);
        var read = KindJson.Read<RunState>(KindJson.Write(state))!;
        return items.Aggregate(read, (all, item) => all.With(item.Key, all[item.Key]! with { Items = item.Value }));
    }

    private static Gen<Workflow> Workflows() => from shape in Gen.Choose(0, int.MaxValue) select Numbered(new Random(shape));

    private static Workflow Numbered(Random random)
    {
        var number = 0;
        ImmutableArray<FlowStep> Steps(int depth) => [.. Enumerable.Range(0, random.Next(0, 4)).Select(_ => Step(depth))];
        FlowStep Step(int depth)
        {
            var id = string.Create(CultureInfo.InvariantCulture, $"s{++number}");
            Step does = (depth == 0 ? 0 : random.Next(0, 6)) switch
            {
                1 => new Decide { Cases = [new("x", Steps(depth - 1)), new("y", Steps(depth - 1))], Otherwise = Steps(depth - 1) },
                2 => new ForEach
                {
                    List = "x",
                    Steps = Steps(depth - 1),
                    AtOnce = random.Next(1, 4),
                },
                3 => new Parallel { Branches = [new("one", Steps(depth - 1)), new("two", Steps(depth - 1))] },
                4 => new Attempt { Steps = Steps(depth - 1), OnFailure = Steps(depth - 1) },
                _ => new ComputeValue { Name = id, Formula = "1" },
            };
            return new FlowStep(id, does) { IsOff = random.Next(0, 10) == 0 };
        }

        return new Workflow("law", new OnDemand(), Steps(3));
    }

    private static (List<string> Paths, RunState State) Ran(
        Workflow workflow,
        Func<DueStep, StepFlow?> way,
        RunState? from = null,
        Func<RunState, RunState>? between = null,
        Func<ImmutableArray<DueStep>, DueStep>? pick = null
    )
    {
        var (paths, state) = (new List<string>(), from ?? RunState.Fresh);
        for (var steps = 0; steps < 10_000; steps++)
        {
            (state, var due) = Interpreter.Settle(workflow, state);
            if (state.End is not null)
            {
                return (paths, state);
            }

            var next = pick?.Invoke(due) ?? due[0];
            paths.Add(next.Path);
            state = way(next) is { } flow
                ? Interpreter.After(state, next, flow, Written)
                : Interpreter.Failed(state, next.Path, $"{next.Step.Id} failed");
            state = between?.Invoke(state) ?? state;
        }

        throw new InvalidOperationException("it never ends");
    }

    private static ImmutableArray<DueStep> Due(Workflow workflow, RunState state) => Interpreter.Settle(workflow, state).Due;

    private static JsonElement? Written(object? value) => value is null ? null : JsonSerializer.SerializeToElement(value);

    private static Workflow Of(params ImmutableArray<FlowStep> steps) => new("test", new OnDemand(), steps);

    private static FlowStep Leaf(string id) => new(id, new ComputeValue { Name = id, Formula = "1" });
}
