using System.Text.Json;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>Runs a workflow at once to its end, while somebody waits: only steps that change nothing, and nothing of it is kept.</summary>
internal sealed class InstantRun(IServiceProvider services, RunStarts starts, TimeProvider time)
{
    private const int MostSteps = 500;

    /// <param name="workspace">The workspace.</param>
    /// <param name="workflow">The workflow.</param>
    /// <param name="reading">Reads with its rights.</param>
    /// <param name="input">What its trigger gives.</param>
    /// <param name="where">Where it runs, in words: “in a guard”.</param>
    /// <param name="mayAsk">APIs may be asked with GET.</param>
    /// <param name="cancellation">Ends it.</param>
    /// <returns>How it ended, and the values that it wants amended.</returns>
    public async Task<(RunEnd End, FieldValues Amended)> ToEndAsync(
        Workspace workspace,
        WorkflowEntry workflow,
        RunReading reading,
        JsonElement input,
        string where,
        bool mayAsk,
        CancellationToken cancellation
    )
    {
        var (state, amended) = (RunState.Fresh, FieldValues.None);
        for (var steps = 0; steps < MostSteps; steps++)
        {
            cancellation.ThrowIfCancellationRequested();
            (state, var due) = Interpreter.Settle(workflow.Live, state);
            if (state.End is { } end)
            {
                return (end, amended);
            }

            var next = due[0];
            var scope = await reading.ScopeAsync(input, state, next, cancellation);
            switch (RunExecution.Decided(reading, next.Step, scope))
            {
                case { Failure: { } failure }:
                    state = Interpreter.Failed(state, next.Path, failure);
                    break;
                case { Flow: StepFlow.Waits }:
                    state = Interpreter.Failed(state, next.Path, $"a step that waits cannot stand {where}.");
                    break;
                case { Flow: { } flow }:
                    state = Interpreter.After(state, next, flow, reading.Values.Element);
                    break;
                case { Effects: [StepEffect.Amend amend] }:
                    state = Interpreter.Done(state, next.Path, null);
                    amended = amend.Values.Aggregate(amended, (all, pair) => all.With(pair.Key, pair.Value));
                    break;
                case { Effects: [var effect, ..] }
                    when RunCarrier.For(effect) is { } carrier
                        && (carrier.Safety is EffectSafety.Harmless || (mayAsk && effect is StepEffect.CallApi { Method: "GET" })):
                    var context = Context(workspace, workflow, reading, scope, next, cancellation);
                    state = await carrier.CarryAsync(effect, context) switch
                    {
                        RunCarried.Done done => Interpreter.Done(state, next.Path, reading.Values.Element(done.Result)),
                        RunCarried.Failed failed => Interpreter.Failed(state, next.Path, failed.Reason),
                        _ => Interpreter.Failed(state, next.Path, "it could not be found out."),
                    };
                    break;
                default:
                    state = Interpreter.Failed(state, next.Path, $"“{next.Step.Does.Kind.Label}” cannot stand {where}.");
                    break;
            }
        }

        return (new RunEnd(RunEnding.Failed, "it has too many steps."), amended);
    }

    private RunContext Context(
        Workspace workspace,
        WorkflowEntry workflow,
        RunReading reading,
        RunScope scope,
        DueStep due,
        CancellationToken cancellation
    )
    {
        var run = starts.Run(workflow, new RunStart("", "{}"));
        var entry = new WorkflowRunStep
        {
            RunId = 0,
            Path = due.Path,
            StepId = due.Step.Id,
            Label = "",
            BegunAt = time.GetUtcNow(),
        };
        return new RunContext(services, null!, run, workflow.Live, due, entry, scope, reading, workspace, cancellation);
    }
}
