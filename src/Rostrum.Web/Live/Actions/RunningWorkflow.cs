using System.Text.Json.Nodes;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Store;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Live.Actions;

/// <summary>
/// Runs a workflow for an action. What it comes to within a few seconds is said at once; one that takes longer goes on in the background,
/// and whoever began it is told of its end.
/// </summary>
internal sealed class RunningWorkflow : EffectCarrier<StepEffect.RunWorkflow>
{
    protected override async Task<Carried> CarryAsync(
        StepEffect.RunWorkflow effect,
        ActionOutcome outcome,
        ActionContext context,
        CancellationToken cancellation
    )
    {
        Carried Failed(string reason) => new(outcome) { Failure = reason };
        var services = context.Services;
        var workspace = await services.GetRequiredService<WorkspaceCache>().GetAsync(cancellation);
        if (
            workspace.SetOffBy<OnDemand>().FirstOrDefault(known => known.Workflow.Name == effect.Workflow) is not { Workflow: { } workflow }
        )
        {
            return Failed("The workflow that this runs is not there, or is off.");
        }

        if (context.Run.Writing.ReadOnlyBecause is { } reason)
        {
            return Failed(reason);
        }

        var values = new RunValues(context.Run.Scope.Shapes);
        var person = services.GetRequiredService<IActor>().Id;
        var input = new JsonObject(effect.Values.Select(pair => KeyValuePair.Create(pair.Key, values.Write(pair.Value))));
        var about = effect.Values.Values.OfType<Core.Formulas.FormulaRecord>().FirstOrDefault(record => record.Identity is RecordKey);
        var dataset =
            about is not null && context.Run.Scope.Shapes.Knows(about.Shape) ? context.Run.Scope.Shapes.Of(about.Shape).Dataset : null;
        var run = services
            .GetRequiredService<RunStarts>()
            .Run(
                workflow,
                new RunStart($"a button of {context.Run.App.Definition.Name}", input.ToJsonString())
                {
                    PersonId = person,
                    PersonName = (person is { } id ? workspace.People.GetValueOrDefault(id)?.Name : null) ?? "somebody",
                    DatasetId = dataset?.Id.Value,
                    RecordKey = dataset is null ? null : ((RecordKey)about!.Identity!).ToText(dataset),
                }
            );
        await using var store = await services.GetRequiredService<IDbContextFactory<RostrumStore>>().CreateDbContextAsync(cancellation);
        store.WorkflowRuns.Add(run);
        await store.SaveChangesAsync(cancellation);
        services.GetRequiredService<WorkSignal>().Wake();
        await RunStarts.WakeAsync(store, cancellation);
        return effect.Waits ? await ResultAsync(store, workflow, run.Id, outcome, cancellation) : Begun(outcome, workflow);
    }

    private static Carried Begun(ActionOutcome outcome, WorkflowEntry workflow) =>
        new(outcome with { Said = $"“{workflow.Live.Label}” goes on in the background." });

    private static async Task<Carried> ResultAsync(
        RostrumStore store,
        WorkflowEntry workflow,
        long id,
        ActionOutcome outcome,
        CancellationToken cancellation
    )
    {
        var run = await RunWait.EndAsync(store, id, cancellation);
        var changed = workflow.Live.Datasets.Concat(outcome.Changed).Distinct();
        return run.Status switch
        {
            RunStatus.Done => new(outcome with { Said = run.Message ?? $"“{workflow.Live.Label}” is done.", Changed = [.. changed] }),
            RunStatus.Waiting => new(
                outcome with
                {
                    Said = $"“{workflow.Live.Label}” was begun, and waits for a decision.",
                    Changed = [.. changed],
                }
            ),
            RunStatus.Stopped => new(outcome) { Failure = run.Message },
            RunStatus.Failed or RunStatus.Cancelled or RunStatus.Uncertain => new(outcome)
            {
                Failure = $"“{workflow.Live.Label}” failed: {run.Message}",
            },
            _ => new(outcome with { GoesOn = ProgressHandler.Said(run, workflow.Live) }),
        };
    }
}
