using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Build.Workflows;

/// <summary>Publishes a workflow, turns it on and off, compares its versions, restores them, removes it.</summary>
internal sealed class VersionsModel(
    RostrumStore store,
    WorkflowDrafts drafts,
    WorkspaceCache workspaces,
    CurrentPerson person,
    RunRights rights,
    RecordFormat format
) : PageModel
{
    public StoredWorkflow Stored { get; private set; } = null!;

    public ImmutableArray<StoredWorkflowVersion> Versions { get; private set; } = [];

    public ImmutableArray<WorkflowProblem> Problems { get; private set; } = [];

    public ImmutableArray<string> Differences { get; private set; } = [];

    public int? From { get; private set; }

    public int? To { get; private set; }

    public int Open { get; private set; }

    public string Here => $"/build/workflows/{Stored.Name}/versions";

    public int Next => Versions is [var newest, ..] ? newest.Number + 1 : 1;

    public bool HasNews =>
        Stored.LiveVersion is null
        || Core.KindJson.Write(Versions.First(version => version.Number == Stored.LiveVersion).Definition)
            != Core.KindJson.Write(Stored.Draft);

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public async Task<IActionResult> OnGetAsync(string name, int? from, int? to, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        (From, To) = (from ?? Stored.LiveVersion, to);
        if (From is { } one && Versions.FirstOrDefault(version => version.Number == one) is { } before)
        {
            var after = To is { } other
                ? Versions.FirstOrDefault(version => version.Number == other)?.Definition ?? Stored.Draft
                : Stored.Draft;
            Differences = WorkflowComparison.Of(before.Definition, after);
        }

        return Page();
    }

    public async Task<IActionResult> OnPostPublishAsync(string name, string? note, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        if (Stored.Revision != revision)
        {
            TempData["refused"] = "The draft was changed meanwhile: look at it once more.";
        }
        else if (Problems.Any(problem => !problem.Warns))
        {
            TempData["refused"] = "Fix the errors first: a draft with errors cannot be published.";
        }
        else if (await rights.RefusalAsync(Stored.Draft, cancellation) is { } refusal)
        {
            TempData["refused"] = refusal;
        }
        else
        {
            var number = await drafts.PublishAsync(Stored.Id, note?.Trim() ?? "", await person.NameAsync(cancellation), cancellation);
            TempData["note"] = $"Version {number} is live.";
        }

        return Redirect(Here);
    }

    public async Task<IActionResult> OnPostTurnAsync(string name, bool on, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(name, cancellation) is not { } stored)
        {
            return NotFound();
        }

        await drafts.TurnAsync(stored.Id, on, cancellation);
        TempData["note"] = on ? "It is on." : "It is off: nothing sets it off. Runs that were begun go on.";
        return Redirect($"/build/workflows/{name}/versions");
    }

    public async Task<IActionResult> OnPostRestoreAsync(string name, int version, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation) || Versions.FirstOrDefault(known => known.Number == version) is not { } found)
        {
            return NotFound();
        }

        await drafts.EditAsync(
            Stored.Id,
            _ => found.Definition,
            $"version {version} restored",
            await person.NameAsync(cancellation),
            cancellation
        );
        TempData["note"] = $"The draft is as version {version} was.";
        return Redirect(Here);
    }

    public async Task<IActionResult> OnPostRemoveAsync(string name, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        if (Open > 0)
        {
            TempData["refused"] =
                $"{Open} {(Open == 1 ? "run goes" : "runs go")} on or wait: cancel them first, or turn the workflow off and let them end.";
            return Redirect(Here);
        }

        store.Workflows.Remove(Stored);
        await store.SaveChangesAsync(cancellation);
        TempData["note"] = $"“{Stored.Draft.Label}” was removed.";
        return Redirect("/build/workflows");
    }

    private async Task<bool> LoadAsync(string name, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(name, cancellation) is not { } stored)
        {
            return false;
        }

        Stored = stored;
        Versions =
        [
            .. await store
                .WorkflowVersions.AsNoTracking()
                .Where(version => version.WorkflowId == stored.Id)
                .OrderByDescending(version => version.Number)
                .ToListAsync(cancellation),
        ];
        var workspace = await workspaces.GetAsync(cancellation);
        Problems = WorkflowProblems.Of(name, stored.Draft, workspace.Datasets, await drafts.AroundAsync(cancellation), workspace.Anybody);
        Open = await store.WorkflowRuns.CountAsync(
            run =>
                run.WorkflowId == stored.Id
                && (run.Status == RunStatus.Ready || run.Status == RunStatus.Waiting || run.Status == RunStatus.Uncertain),
            cancellation
        );
        return true;
    }
}
