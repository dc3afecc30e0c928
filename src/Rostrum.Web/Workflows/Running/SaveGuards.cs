using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>Asks the guards of a record before it is saved: workflows that run within the save, which waits for them.</summary>
internal sealed partial class SaveGuards(
    IServiceProvider services,
    IDbContextFactory<RostrumStore> stores,
    WorkspaceCache workspaces,
    RunStarts starts,
    InstantRun instant,
    IActor actor,
    ILogger<SaveGuards> log
) : ISaveGuards
{
    public async ValueTask<bool> GuardsAsync(DatasetId dataset, IReadOnlyCollection<Change>? changes, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        return workspace.HeardDatasets.Contains(dataset.Value)
            && workspace
                .SetOffBy<BeforeSave>()
                .Any(known => known.Trigger.Dataset == dataset && (changes is null || changes.Any(known.Trigger.Hears)));
    }

    public async Task<GuardAnswer> AskAsync(GuardedChange change, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var amended = FieldValues.None;
        foreach (var (workflow, trigger) in workspace.SetOffBy<BeforeSave>().Where(known => known.Trigger.Dataset == change.Dataset.Id))
        {
            if (!trigger.Hears(change.Change))
            {
                continue;
            }

            var (more, problem) = await AskAsync(workspace, workflow, trigger, change, amended, cancellation);
            if (problem is not null)
            {
                return new GuardAnswer(amended, problem);
            }

            amended = more;
        }

        return new GuardAnswer(amended, null);
    }

    private async Task<(FieldValues Amended, FieldProblem? Problem)> AskAsync(
        Workspace workspace,
        WorkflowEntry workflow,
        BeforeSave trigger,
        GuardedChange change,
        FieldValues amended,
        CancellationToken cancellation
    )
    {
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        limit.CancelAfter(trigger.Limit);
        var input = Input(change, amended, workspace);
        try
        {
            var (end, values) = await RunAsync(workspace, workflow, trigger, change, input, limit.Token);
            if (end is { How: RunEnding.Stopped or RunEnding.Failed })
            {
                var message =
                    end.How is RunEnding.Stopped
                        ? end.Message ?? $"“{workflow.Live.Label}” stopped this."
                        : $"“{workflow.Live.Label}” could not be checked: {end.Message}";
                await KeepAsync(workflow, change, input, end, message);
                return (amended, new FieldProblem(FieldOf(change.Dataset, end.Field), message));
            }

            return (values.Aggregate(amended, (all, pair) => all.With(pair.Key, pair.Value)), null);
        }
        catch (OperationCanceledException) when (!cancellation.IsCancellationRequested)
        {
            LogLate(workflow.Live.Label, trigger.Limit);
            var message = $"“{workflow.Live.Label}” took longer than {trigger.Limit:N0} ms to check this. Try again.";
            return trigger.SavesWhenLate ? (amended, null) : (amended, new FieldProblem(null, message));
        }
    }

    private async Task<(RunEnd End, FieldValues Values)> RunAsync(
        Workspace workspace,
        WorkflowEntry workflow,
        BeforeSave trigger,
        GuardedChange change,
        string input,
        CancellationToken cancellation
    )
    {
        var identity = services.GetRequiredService<RunIdentity>();
        var format = services.GetRequiredService<RecordFormat>();
        var grants = workflow.Live.RunsAs is null
            ? change.Grants
            : await identity.GrantsAsync(workspace, workflow.Live, Person, cancellation);
        var reading = new RunReading(identity.ScopeOf(workspace, workflow.Live, grants), change.Gate, grants, format);
        using var json = JsonDocument.Parse(input);
        if (trigger.Condition.Length > 0 && reading.ProblemAtTrigger(trigger.Condition) is { } problem)
        {
            return (new RunEnd(RunEnding.Failed, problem), FieldValues.None);
        }

        if (
            trigger.Condition.Length > 0
            && (await reading.TriggerScopeAsync(json.RootElement, [trigger.Condition], cancellation)).Value(trigger.Condition) is not true
        )
        {
            return (new RunEnd(RunEnding.Done), FieldValues.None);
        }

        return await instant.ToEndAsync(workspace, workflow, reading, json.RootElement, "in a guard", mayAsk: false, cancellation);
    }

    private Guid? Person => RunAmbient.Current is { } run ? run.PersonId : actor.Id;

    private string Input(GuardedChange change, FieldValues amended, Workspace workspace)
    {
        var after = change.Change switch
        {
            Change.Insert insert => insert.Values,
            Change.Restore restore => restore.Values,
            Change.Update update => update.Values.Aggregate(change.Before, (all, pair) => all.With(pair.Key, pair.Value)),
            _ => null,
        };
        return new JsonObject
        {
            ["before"] = change.Change is Change.Insert or Change.Restore ? null : SavedChangeJson.Written(change.Dataset, change.Before),
            ["after"] = SavedChangeJson.Written(
                change.Dataset,
                after is null ? null : amended.Aggregate(after, (all, pair) => all.With(pair.Key, pair.Value))
            ),
            ["kind"] = RecordTrigger.Word(change.Change),
            ["person"] = PersonName(workspace),
        }.ToJsonString();
    }

    private string PersonName(Workspace workspace) =>
        RunAmbient.Current?.PersonName
        ?? (Person is { } id ? workspace.People.GetValueOrDefault(id)?.Name : null)
        ?? "somebody not signed in";

    private static FieldName? FieldOf(Dataset dataset, string? field) =>
        field is not null && dataset.Find(new FieldName(field)) is { } known ? known.Name : null;

    // A save that was stopped stands among the runs; one that goes through leaves nothing.
    private async Task KeepAsync(WorkflowEntry workflow, GuardedChange change, string input, RunEnd end, string message)
    {
        var workspace = await workspaces.GetAsync(CancellationToken.None);
        var run = starts.Run(
            workflow,
            new RunStart($"a {change.Dataset.RecordLabel} was about to be {RecordTrigger.Word(change.Change)}", input)
            {
                PersonId = Person,
                PersonName = PersonName(workspace),
                DatasetId = change.Dataset.Id.Value,
                RecordKey = (change.Change as Change.Update)?.Key.ToText(change.Dataset),
            }
        );
        run.State = RunState.Fresh with { End = end };
        run.Status = end.How is RunEnding.Stopped ? RunStatus.Stopped : RunStatus.Failed;
        (run.Message, run.EndedAt, run.Due) = (message, run.At, null);
        await using var store = await stores.CreateDbContextAsync();
        store.WorkflowRuns.Add(run);
        await store.SaveChangesAsync();
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "The guard {Workflow} took longer than {Limit} ms")]
    private partial void LogLate(string workflow, int limit);
}
