using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running.Carriers;

/// <summary>Runs another workflow: its run is kept with the one that calls it.</summary>
internal sealed class RunningWorkflow : RunCarrier<StepEffect.RunWorkflow>
{
    public override EffectSafety Safety => EffectSafety.WithTheRun;

    protected override string Says(StepEffect.RunWorkflow effect, RunContext context) => $"run “{effect.Workflow}”";

    protected override Task<RunCarried> CarryAsync(StepEffect.RunWorkflow effect, RunContext context)
    {
        if (context.Workspace.Workflows.FirstOrDefault(known => known.Name == effect.Workflow) is not { Live.Trigger: OnDemand } called)
        {
            return Task.FromResult<RunCarried>(new RunCarried.Failed($"There is no workflow “{effect.Workflow}” that runs on demand."));
        }

        if (!called.IsOn)
        {
            return Task.FromResult<RunCarried>(new RunCarried.Failed($"“{called.Live.Label}” is off."));
        }

        if (context.Run.Depth + 1 >= RunStarts.MostInARow)
        {
            return Task.FromResult<RunCarried>(new RunCarried.Failed(RunStarts.TooManyInARow));
        }

        var input = new System.Text.Json.Nodes.JsonObject(
            effect.Values.Select(pair => KeyValuePair.Create(pair.Key, context.Reading.Values.Write(pair.Value)))
        );
        context.Store.WorkflowRuns.Add(
            context
                .Get<RunStarts>()
                .Run(
                    called,
                    new RunStart($"“{context.Workflow.Label}”", input.ToJsonString())
                    {
                        PersonId = context.Run.PersonId,
                        PersonName = context.Run.PersonName,
                        Depth = context.Run.Depth + 1,
                        CallerId = effect.Waits ? context.Run.Id : null,
                        CallerPath = effect.Waits ? context.Due.Path : null,
                    }
                )
        );
        return Task.FromResult<RunCarried>(
            effect.Waits
                ? new RunCarried.Waits($"“{called.Live.Label}” was begun")
                : new RunCarried.Done(null, $"“{called.Live.Label}” was begun")
        );
    }
}
