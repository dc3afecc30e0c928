using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Workflows.Steps;

namespace Rostrum.Core.Workflows;

/// <summary>A step whose turn it is.</summary>
/// <param name="Step">The step.</param>
/// <param name="Path">Where it stands in the run.</param>
/// <param name="Turns">The steps around it that are done several times, the outermost first, each with the number of this time.</param>
public sealed record DueStep(FlowStep Step, string Path, ImmutableArray<(string Path, int Number)> Turns)
{
    /// <summary>What stands before the paths of steps beside it.</summary>
    public string Prefix => Path[..^Step.Id.Length];

    /// <summary>Why the steps failed whose failure it follows; null where it follows none.</summary>
    public string? Failure { get; init; }
}

/// <summary>Says of a run which steps come next, and what it is after one of them. It reaches nothing.</summary>
/// <remarks>A run is its workflow and what is known of its steps: from these alone it is found out each time where it stands, so that
/// any node can go on with it.</remarks>
public static class Interpreter
{
    /// <summary>The run with all ended that has ended, and the steps whose turn it is: none where it waits or has ended.</summary>
    public static (RunState State, ImmutableArray<DueStep> Due) Settle(Workflow workflow, RunState state)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        ArgumentNullException.ThrowIfNull(state);
        if (state.End is not null)
        {
            return (state, []);
        }

        var walk = new Walk(state);
        var outcome = walk.Block(workflow.Steps, "", [], null);
        return outcome switch
        {
            { Failure: { } failure } => (walk.State with { End = new RunEnd(RunEnding.Failed, failure) }, []),
            { IsOver: true } => (walk.State with { End = new RunEnd(RunEnding.Done) }, []),
            _ => (walk.State, walk.Due.ToImmutable()),
        };
    }

    /// <summary>The run after a step that wanted nothing done outside.</summary>
    /// <param name="state">The run.</param>
    /// <param name="due">The step.</param>
    /// <param name="flow">Where it goes on.</param>
    /// <param name="written">Writes a value down: what a step gives, or what its steps are done for.</param>
    public static RunState After(RunState state, DueStep due, StepFlow flow, Func<object?, JsonElement?> written)
    {
        ArgumentNullException.ThrowIfNull(state);
        ArgumentNullException.ThrowIfNull(due);
        ArgumentNullException.ThrowIfNull(written);
        var known = state[due.Path] ?? new StepState(StepStatus.Begun);
        return flow switch
        {
            StepFlow.Gives gives => state.With(
                due.Path,
                known with
                {
                    Status = StepStatus.Done,
                    Until = null,
                    Result = written(gives.Value),
                }
            ),
            StepFlow.Enters { Blocks: { IsEmpty: false } blocks } => state.With(
                due.Path,
                known with
                {
                    Status = StepStatus.Inside,
                    Entered = blocks,
                }
            ),
            StepFlow.Enters => state.With(due.Path, known with { Status = StepStatus.Done }),
            StepFlow.Repeats repeats => state.With(
                due.Path,
                known with
                {
                    Status = StepStatus.Inside,
                    Items = written(repeats.Items),
                    Count = repeats.Items.Count,
                }
            ),
            StepFlow.Waits waits => state.With(due.Path, known with { Status = StepStatus.Waiting, Until = waits.Until }),
            StepFlow.Ends ends => state.With(due.Path, known with { Status = StepStatus.Done }) with
            {
                End = new RunEnd(ends.How, ends.Message) { Field = ends.Field, Result = written(ends.Value) },
            },
            _ => throw new ArgumentOutOfRangeException(nameof(flow), flow, "unknown way"),
        };
    }

    /// <summary>The run after a step whose effect was carried out.</summary>
    public static RunState Done(RunState state, string path, JsonElement? result)
    {
        ArgumentNullException.ThrowIfNull(state);
        var known = state[path] ?? new StepState(StepStatus.Begun);
        return state.With(path, known with { Status = StepStatus.Done, Until = null, Result = result });
    }

    /// <summary>The run after a step that failed.</summary>
    public static RunState Failed(RunState state, string path, string reason)
    {
        ArgumentNullException.ThrowIfNull(state);
        var known = state[path] ?? new StepState(StepStatus.Begun);
        return state.With(path, known with { Status = StepStatus.Failed, Until = null, Failure = reason });
    }

    /// <summary>A run that failed, as if the steps that did had not been begun: it goes on from there.</summary>
    public static RunState Retried(RunState state)
    {
        ArgumentNullException.ThrowIfNull(state);
        return state with
        {
            End = null,
            Steps = state.Steps.RemoveRange(
                state.Steps.Where(step => step.Value.Status is StepStatus.Failed).Select(step => step.Key).ToArray()
            ),
        };
    }

    /// <summary>The moment at which a run has something to do next; null where it waits for something else than time.</summary>
    /// <param name="state">The run.</param>
    /// <param name="due">The steps whose turn it is.</param>
    public static DateTimeOffset? NextMoment(RunState state, ImmutableArray<DueStep> due)
    {
        ArgumentNullException.ThrowIfNull(state);
        return due.Select(step => state[step.Path] is { Status: StepStatus.Waiting, Until: var until } ? until : DateTimeOffset.MinValue)
            .Where(moment => moment is not null)
            .Min();
    }

    private sealed record Outcome(bool IsOver, string? Failure)
    {
        public static Outcome Open { get; } = new(false, null);

        public static Outcome Over { get; } = new(true, null);
    }

    private sealed class Walk(RunState state)
    {
        public RunState State { get; private set; } = state;

        public ImmutableArray<DueStep>.Builder Due { get; } = ImmutableArray.CreateBuilder<DueStep>();

        public Outcome Block(
            ImmutableArray<FlowStep> steps,
            string prefix,
            ImmutableArray<(string Path, int Number)> turns,
            string? failure
        )
        {
            foreach (var step in steps.Where(step => !step.IsOff))
            {
                var outcome = Step(step, prefix, turns, failure);
                if (outcome.Failure is not null || !outcome.IsOver)
                {
                    return outcome;
                }
            }

            return Outcome.Over;
        }

        private Outcome Step(FlowStep step, string prefix, ImmutableArray<(string Path, int Number)> turns, string? failure)
        {
            var path = prefix + step.Id;
            switch (State[path])
            {
                case null:
                case { Status: StepStatus.Waiting }:
                case { Status: StepStatus.Begun }:
                    Due.Add(new DueStep(step, path, turns) { Failure = failure });
                    return Outcome.Open;
                case { Status: StepStatus.Done }:
                    return Outcome.Over;
                case { Status: StepStatus.Failed } failed:
                    return new Outcome(true, failed.Failure ?? "A step failed.");
                case { } inside:
                    return step.Does is ForEach loop
                        ? Loop(loop, path, inside, turns, failure)
                        : Within((ControlStep)step.Does, path, prefix, inside, turns, failure);
            }
        }

        private Outcome Within(
            ControlStep control,
            string path,
            string prefix,
            StepState inside,
            ImmutableArray<(string Path, int Number)> turns,
            string? failure
        )
        {
            if (control is Attempt)
            {
                var tried = Block(control.Blocks[0].Steps, prefix, turns, failure);
                if (tried.Failure is { } wrong)
                {
                    tried = Block(control.Blocks[1].Steps, prefix, turns, wrong);
                }

                return Ended(path, inside, tried);
            }

            var outcomes = inside.Entered.Select(at => Block(control.Blocks[at].Steps, prefix, turns, failure)).ToArray();
            return Ended(
                path,
                inside,
                outcomes.Any(outcome => !outcome.IsOver)
                    ? Outcome.Open
                    : outcomes.FirstOrDefault(outcome => outcome.Failure is not null) ?? Outcome.Over
            );
        }

        private Outcome Loop(ForEach loop, string path, StepState inside, ImmutableArray<(string Path, int Number)> turns, string? failure)
        {
            var isOpen = false;
            string? failed = null;
            for (var number = inside.At; number < Math.Min(inside.Count, inside.At + loop.AtOnce); number++)
            {
                var prefix = string.Create(CultureInfo.InvariantCulture, $"{path}[{number}]/");

                // After a failure nothing more is begun, and what was begun comes to its end.
                if (failed is not null && !State.HasBegun(prefix))
                {
                    continue;
                }

                var outcome = Block(loop.Steps, prefix, turns.Add((path, number)), failure);
                if (!outcome.IsOver)
                {
                    isOpen = true;
                }
                else if (outcome.Failure is not null && !loop.GoesOn)
                {
                    failed ??= outcome.Failure;
                }
                else if (number == inside.At)
                {
                    // What is over for one of many is kept no longer, but for what is collected.
                    var result = loop.Collected is { } id ? State[prefix + id]?.Result : null;
                    inside = inside with
                    {
                        At = number + 1,
                        Failures = inside.Failures + (outcome.Failure is null ? 0 : 1),
                        Result = result is { } one ? Appended(inside.Result, one) : inside.Result,
                    };
                    State = State.Without(prefix).With(path, inside);
                }
            }

            if (isOpen || failed is not null)
            {
                return isOpen ? Outcome.Open : new Outcome(true, failed);
            }

            return Ended(
                path,
                inside with
                {
                    Result = inside.Result ?? JsonSerializer.SerializeToElement(Array.Empty<object>()),
                },
                Outcome.Over
            );
        }

        private static JsonElement Appended(JsonElement? list, JsonElement one) =>
            JsonSerializer.SerializeToElement(list is { } known ? [.. known.EnumerateArray(), one] : new[] { one });

        private Outcome Ended(string path, StepState inside, Outcome outcome)
        {
            if (outcome is { IsOver: true, Failure: null })
            {
                State = State.With(path, inside with { Status = StepStatus.Done });
            }

            return outcome;
        }
    }
}
