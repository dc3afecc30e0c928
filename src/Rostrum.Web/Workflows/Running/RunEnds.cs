using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Workflows.Running;

/// <summary>Writes down how a run ended, and tells whoever is to know.</summary>
internal sealed class RunEnds(TimeProvider time)
{
    /// <summary>The run has ended: whoever began it or waits for it hears of it.</summary>
    public async Task EndAsync(RunWork work, RunEnd end, CancellationToken cancellation)
    {
        var run = work.Run;
        run.Status = end.How switch
        {
            RunEnding.Stopped => RunStatus.Stopped,
            RunEnding.Failed => RunStatus.Failed,
            RunEnding.Cancelled => RunStatus.Cancelled,
            _ => RunStatus.Done,
        };
        (run.Message, run.EndedAt, run.Due) = (end.Message, time.GetUtcNow(), null);
        if (end.How is RunEnding.Failed)
        {
            TellOfFailure(work, $"failed: {end.Message}");
        }

        if (
            run.PersonId is { } person
            && await work.Store.WorkflowRuns.Where(known => known.Id == run.Id).Select(known => known.TellsPerson).FirstAsync(cancellation)
        )
        {
            Tell(work, person, run.Message ?? (end.How is RunEnding.Done ? "is done" : "ended"), "/inbox");
        }

        await work.Store.SaveChangesAsync(cancellation);
        await WakeCallerAsync(work.Store, run, time.GetUtcNow(), cancellation);
    }

    /// <summary>Whoever waits for a run that has ended goes on.</summary>
    public static async Task WakeCallerAsync(RostrumStore store, WorkflowRun run, DateTimeOffset now, CancellationToken cancellation)
    {
        if (run.CallerId is not { } caller)
        {
            return;
        }

        await store
            .WorkflowRuns.Where(known => known.Id == caller && (known.Status == RunStatus.Waiting || known.Status == RunStatus.Ready))
            .ExecuteUpdateAsync(
                row => row.SetProperty(known => known.Status, RunStatus.Ready).SetProperty(known => known.Due, now),
                cancellation
            );
        await RunStarts.WakeAsync(store, cancellation);
    }

    /// <summary>Tells those whom the workflow names that a run failed, or that nobody knows whether it did.</summary>
    public void TellOfFailure(RunWork work, string says)
    {
        if (work.Run.Tried is not null || work.Workflow.TellOfFailure is not { } names)
        {
            return;
        }

        foreach (var person in Recipients.Of(work.Workspace, Core.Apps.Settings.Setting.Split(names)).People)
        {
            Tell(work, person, says, $"/build/workflows/runs/{work.Run.Id}");
        }
    }

    private void Tell(RunWork work, Guid person, string says, string address) =>
        work.Store.InboxItems.Add(
            new InboxItem
            {
                PersonId = person,
                WatchId = Guid.Empty,
                DatasetId = work.Run.WorkflowId,
                Key = $"run {work.Run.Id}",
                Title = work.Workflow.Label,
                Text = says,
                By = "The workflow",
                Address = address,
                At = time.GetUtcNow(),
            }
        );
}
