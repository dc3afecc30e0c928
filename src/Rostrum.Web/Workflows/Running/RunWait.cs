using System.Diagnostics;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>Waits a few seconds for a run that somebody has begun.</summary>
internal static class RunWait
{
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(5);
    private static readonly TimeSpan Often = TimeSpan.FromMilliseconds(100);

    /// <summary>The run once it has ended or waits for somebody. Where that takes longer, its person is told of its end.</summary>
    public static async Task<WorkflowRun> EndAsync(RostrumStore store, long id, CancellationToken cancellation)
    {
        for (var began = Stopwatch.GetTimestamp(); Stopwatch.GetElapsedTime(began) < Longest; )
        {
            var run = await store.WorkflowRuns.AsNoTracking().FirstAsync(known => known.Id == id, cancellation);
            if (run.IsOver || run.Status is RunStatus.Waiting or RunStatus.Uncertain)
            {
                return run;
            }

            await Task.Delay(Often, cancellation);
        }

        await store
            .WorkflowRuns.Where(run => run.Id == id && run.EndedAt == null)
            .ExecuteUpdateAsync(row => row.SetProperty(run => run.TellsPerson, true), cancellation);
        return await store.WorkflowRuns.AsNoTracking().FirstAsync(known => known.Id == id, cancellation);
    }
}
