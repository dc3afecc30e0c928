using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Workflows.Running;

/// <summary>
/// Goes on with one run as far as it can go now. What it wants done outside is written down before and after, so that whoever goes on with
/// the run after this node was lost knows what is known.
/// </summary>
internal sealed class RunExecution(
    IServiceProvider services,
    WorkspaceCache workspaces,
    RunIdentity identity,
    RecordGate gate,
    RecordFormat format,
    TimeProvider time
)
{
    private const int StepsInOneGo = 200;

    private readonly RunEnds _ends = new(time);
    private readonly RunOutcomes _outcomes = new(time);

    /// <summary>Goes on with a run that this worker alone holds.</summary>
    /// <param name="store">The store; nothing of it is at hand yet.</param>
    /// <param name="id">The run.</param>
    /// <param name="cancellation">Ends the work; the run is gone on with later.</param>
    public async Task GoOnAsync(RostrumStore store, long id, CancellationToken cancellation)
    {
        if (
            await store.WorkflowRuns.FirstOrDefaultAsync(run => run.Id == id, cancellation) is not { Status: RunStatus.Ready } run
            || run.Due > time.GetUtcNow()
        )
        {
            return;
        }

        var workspace = await workspaces.GetAsync(cancellation);
        var workflow = await store.WorkflowOfAsync(run, cancellation);
        var grants = await identity.GrantsAsync(workspace, workflow, run.PersonId, cancellation);
        var reading = new RunReading(identity.ScopeOf(workspace, workflow, grants), gate, grants, format);
        using var input = JsonDocument.Parse(run.Input);
        using var ambient = RunAmbient.Begin(
            new RunAmbient(run.PersonId, run.PersonName, run.Depth + 1) { Id = run.Id, Workflow = workflow.Label }
        );
        run.BegunAt ??= time.GetUtcNow();
        run.State = await WithListsAsync(store, run, cancellation);
        var work = new RunWork(store, run, workflow, workspace, reading, input.RootElement);
        var (left, wentOn) = (StepsInOneGo, false);
        while (!run.IsOver)
        {
            cancellation.ThrowIfCancellationRequested();
            var (state, due) = Interpreter.Settle(workflow, run.State);
            run.State = state;
            if (state.End is { } end)
            {
                await _ends.EndAsync(work, end, cancellation);
                return;
            }

            if (await NextAsync(work, due, cancellation) is not { } next)
            {
                run.Due = Interpreter.NextMoment(run.State, due);
                run.Status = run.Due is null ? RunStatus.Waiting : RunStatus.Ready;
                await store.SaveChangesAsync(cancellation);

                // Who answered while it was being put aside found nothing to wake.
                if (await NextAsync(work, due, cancellation) is null)
                {
                    return;
                }

                run.Status = RunStatus.Ready;
                continue;
            }

            if (run.IsStepByStep && wentOn)
            {
                (run.Status, run.Due) = (RunStatus.Waiting, null);
                await store.SaveChangesAsync(cancellation);
                return;
            }

            wentOn = true;
            if (!await StepAsync(work, next, due, cancellation))
            {
                return;
            }

            if (--left == 0)
            {
                // Others have their turn, and whoever wants to cancel it as well.
                run.Due = time.GetUtcNow();
                await store.SaveChangesAsync(cancellation);
                return;
            }
        }
    }

    // The first step that can be gone on with now: one that waits for somebody is passed over until there is an answer.
    private async Task<DueStep?> NextAsync(RunWork work, ImmutableArray<DueStep> due, CancellationToken cancellation)
    {
        var now = time.GetUtcNow();
        foreach (var step in due)
        {
            switch (work.Run.State[step.Path])
            {
                case { Status: StepStatus.Waiting, Until: null }:
                    if (await RunAnswers.IsThereAsync(work, step, cancellation))
                    {
                        return step;
                    }

                    break;
                case { Status: StepStatus.Waiting, Until: { } until } when until > now:
                    break;
                default:
                    return step;
            }
        }

        return null;
    }

    /// <returns>Whether the run goes on at once.</returns>
    private async Task<bool> StepAsync(RunWork work, DueStep due, ImmutableArray<DueStep> all, CancellationToken cancellation)
    {
        var (run, store) = (work.Run, work.Store);
        if (run.State[due.Path] is { Status: StepStatus.Waiting, Until: null })
        {
            await RunAnswers.TakeAsync(work, due, time.GetUtcNow(), cancellation);
            await store.SaveChangesAsync(cancellation);
            return true;
        }

        var scope = await work.Reading.ScopeAsync(work.Input, run.State, due, cancellation);
        var outcome = Decided(work.Reading, due.Step, scope);
        var known = run.State[due.Path];
        Begin(run, due);
        if (outcome.Flow is StepFlow.Waits && known is not null)
        {
            // It is asked again and again: that it still waits is no news.
            run.State = Interpreter.After(run.State, due, outcome.Flow, work.Reading.Values.Element);
            return true;
        }

        var lost = known is { Status: StepStatus.Begun }
            ? await store
                .WorkflowRunSteps.Where(entry => entry.RunId == run.Id && entry.Path == due.Path && entry.Status == StepEntryStatus.Begun)
                .OrderByDescending(entry => entry.Id)
                .FirstOrDefaultAsync(cancellation)
            : null;
        var entry = lost ?? Entry(store, run, due);
        if (outcome.Failure is { } failure)
        {
            return await _outcomes.FailedAsync(work, due, entry, failure, again: false, cancellation);
        }

        if (outcome.Flow is { } flow)
        {
            return await _outcomes.FlowAsync(work, due, entry, flow, cancellation);
        }

        if (outcome.Effects is not [var effect])
        {
            return await _outcomes.FlowAsync(work, due, entry, new StepFlow.Gives(null), cancellation);
        }

        if (RunCarrier.For(effect) is not { } carrier)
        {
            return await _outcomes.FailedAsync(work, due, entry, "This cannot be done in the background.", again: false, cancellation);
        }

        var first = new Wanted(Context(work, due, entry, scope, cancellation), effect, carrier);
        if (lost is null && carrier.GoesSideBySide && !run.IsStepByStep && !run.IsDry)
        {
            return await TogetherAsync(work, [first, .. await BesideAsync(work, due, all, cancellation)], cancellation);
        }

        return await CarryAsync(work, first, lost is not null, cancellation);
    }

    /// <summary>What a step wants done.</summary>
    private sealed record Wanted(RunContext Context, StepEffect Effect, RunCarrier Carrier);

    private void Begin(WorkflowRun run, DueStep due) =>
        run.State = run.State.With(
            due.Path,
            (run.State[due.Path] ?? new StepState(StepStatus.Begun) { Begun = time.GetUtcNow() }) with
            {
                Status = StepStatus.Begun,
            }
        );

    private WorkflowRunStep Entry(RostrumStore store, WorkflowRun run, DueStep due)
    {
        var entry = new WorkflowRunStep
        {
            RunId = run.Id,
            Path = due.Path,
            StepId = due.Step.Id,
            Label = due.Step.Does.Name is { Length: > 0 } name ? $"{due.Step.Does.Kind.Label}: {name}" : due.Step.Does.Kind.Label,
            BegunAt = time.GetUtcNow(),
        };
        store.WorkflowRunSteps.Add(entry);
        return entry;
    }

    private RunContext Context(RunWork work, DueStep due, WorkflowRunStep entry, RunScope scope, CancellationToken cancellation) =>
        new(services, work.Store, work.Run, work.Workflow, due, entry, scope, work.Reading, work.Workspace, cancellation);

    // Other steps whose turn it is as well, and that can be carried out at the same time.
    private async Task<List<Wanted>> BesideAsync(RunWork work, DueStep first, ImmutableArray<DueStep> all, CancellationToken cancellation)
    {
        var beside = new List<Wanted>();
        foreach (var due in all.Where(due => due.Path != first.Path && work.Run.State[due.Path] is null).Take(ForEach.MostAtOnce - 1))
        {
            var scope = await work.Reading.ScopeAsync(work.Input, work.Run.State, due, cancellation);
            if (
                Decided(work.Reading, due.Step, scope) is { Failure: null, Flow: null, Effects: [var effect] }
                && RunCarrier.For(effect) is { GoesSideBySide: true } carrier
            )
            {
                Begin(work.Run, due);
                beside.Add(new Wanted(Context(work, due, Entry(work.Store, work.Run, due), scope, cancellation), effect, carrier));
            }
        }

        return beside;
    }

    // That all of them begin is written down at once; what became of each, as each is known.
    private async Task<bool> TogetherAsync(RunWork work, IReadOnlyList<Wanted> wanted, CancellationToken cancellation)
    {
        foreach (var (context, effect, carrier) in wanted)
        {
            context.Entry.Input = carrier.Says(effect, context);
            context.Entry.Status = StepEntryStatus.Begun;
        }

        await work.Store.SaveChangesAsync(cancellation);
        var carried = await Task.WhenAll(wanted.Select(one => one.Carrier.CarryAsync(one.Effect, one.Context)));
        var goesOn = true;
        for (var at = 0; at < wanted.Count; at++)
        {
            goesOn &= await _outcomes.TakeAsync(work, wanted[at].Context, carried[at], cancellation);
        }

        return goesOn;
    }

    /// <summary>What a step comes to; a failure where its formulas cannot be computed.</summary>
    public static StepOutcome Decided(RunReading reading, FlowStep step, RunScope scope)
    {
        if (reading.ProblemAt(step) is { } problem)
        {
            return StepOutcome.Failed(problem);
        }

        try
        {
            return step.Does.Run(scope);
        }
        catch (FormulaBudgetException exception)
        {
            return StepOutcome.Failed(exception.Message);
        }
    }

    private async Task<bool> CarryAsync(RunWork work, Wanted wanted, bool wasLost, CancellationToken cancellation)
    {
        var (context, effect, carrier) = wanted;
        context.Entry.Input = carrier.Says(effect, context);
        if (work.Run is { IsDry: true, CarriesNextOut: false } && carrier.Safety is not EffectSafety.Harmless)
        {
            context.Entry.Output = "Not carried out: this is a trial.";
            return await _outcomes.DoneAsync(work, context, null, cancellation);
        }

        work.Run.CarriesNextOut = false;
        RunCarried? carried = wasLost ? await carrier.RecoverAsync(effect, context) : null;
        if (carried is null)
        {
            if (carrier.Safety is EffectSafety.Outside)
            {
                // Written down before it is done: whoever finds it so knows that it may have been.
                context.Entry.Status = StepEntryStatus.Begun;
                await work.Store.SaveChangesAsync(cancellation);
            }

            carried = await carrier.CarryAsync(effect, context);
        }

        return await _outcomes.TakeAsync(work, context, carried, cancellation);
    }

    private static async Task<RunState> WithListsAsync(RostrumStore store, WorkflowRun run, CancellationToken cancellation)
    {
        var state = run.State;
        if (state.Steps.Values.All(step => step.Count == 0))
        {
            return state;
        }

        foreach (var list in await store.WorkflowRunLists.AsNoTracking().Where(known => known.RunId == run.Id).ToListAsync(cancellation))
        {
            if (state[list.Path] is { Items: null } step)
            {
                using var items = JsonDocument.Parse(list.Items);
                state = state.With(list.Path, step with { Items = items.RootElement.Clone() });
            }
        }

        return state;
    }
}
