using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.Live.Refreshing;
using Rostrum.Web.People;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Live.Actions;

/// <summary>How far a run is that an action of the page began and that goes on in the background; its end, once it has come.</summary>
[Handles("GET", "Progress")]
internal sealed class ProgressHandler(RostrumStore store, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (
            !long.TryParse(page.Value("run"), NumberStyles.None, CultureInfo.InvariantCulture, out var id)
            || await store.WorkflowRuns.AsNoTracking().FirstOrDefaultAsync(run => run.Id == id && run.PersonId == person.Id, cancellation)
                is not { } run
        )
        {
            return new NotFoundResult();
        }

        var workflow = await store.WorkflowOfAsync(run, cancellation);
        await page.PrepareAsync(cancellation);
        if (!run.IsOver)
        {
            page.Said = Said(run, workflow);
            return await page.PartsAsync([], withSheet: false, cancellation);
        }

        page.Said = new AppPageModel.Message(
            run.Status is RunStatus.Done
                ? run.Message ?? $"“{workflow.Label}” is done."
                : $"“{workflow.Label}” {(run.Status is RunStatus.Failed ? "failed" : "was stopped")}: {run.Message}"
        );
        var changed = workflow.Datasets.SelectMany(dataset => page.Run.Graph.Affected(dataset, page.App.Datasets)).Distinct();
        return await page.PartsAsync(changed.Intersect(RefreshHandler.Shown(page.Current)), withSheet: false, cancellation);
    }

    /// <summary>What is said of a run that goes on.</summary>
    public static AppPageModel.Message Said(WorkflowRun run, Workflow workflow) =>
        run.Status is RunStatus.Waiting or RunStatus.Uncertain
            ? new($"“{workflow.Label}” waits for a decision. You are told in your inbox when it is done.")
            : new($"“{workflow.Label}” goes on in the background. You are told in your inbox when it is done.")
            {
                Run = run.Id,
                Progress = RunProgress.Of(workflow, run.State),
            };
}
