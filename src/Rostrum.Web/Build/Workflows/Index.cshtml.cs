using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Build.Workflows;

/// <summary>The workspace's workflows.</summary>
internal sealed class IndexModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    WorkflowDrafts drafts,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    /// <summary>A workflow in the list.</summary>
    public sealed record Entry(
        string Name,
        string Label,
        string Trigger,
        string Icon,
        string State,
        bool IsOn,
        string? Last,
        string? LastStatus,
        int Failed
    );

    public ImmutableArray<Entry> Workflows { get; private set; } = [];

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var datasets = (await workspaces.GetAsync(cancellation)).Datasets;
        var week = time.GetUtcNow().AddDays(-7);
        var runs = await store
            .WorkflowRuns.Where(run => run.Tried == null)
            .GroupBy(run => run.WorkflowId)
            .Select(group => new
            {
                Workflow = group.Key,
                Last = group.Max(run => run.Id),
                Failed = group.Count(run => run.Status == RunStatus.Failed && run.At > week),
            })
            .ToDictionaryAsync(group => group.Workflow, cancellation);
        var ids = runs.Values.Select(run => run.Last).ToArray();
        var last = await store
            .WorkflowRuns.Where(run => ids.Contains(run.Id))
            .Select(run => new
            {
                run.WorkflowId,
                run.At,
                run.Status,
            })
            .ToDictionaryAsync(run => run.WorkflowId, cancellation);
        Workflows =
        [
            .. (await store.Workflows.AsNoTracking().ToListAsync(cancellation))
                .OrderBy(workflow => workflow.Draft.Label, StringComparer.OrdinalIgnoreCase)
                .Select(workflow => new Entry(
                    workflow.Name,
                    workflow.Draft.Label,
                    workflow.Draft.Trigger.Says(datasets),
                    workflow.Draft.Trigger.Kind.Icon,
                    workflow.LiveVersion is null ? "draft"
                        : workflow.IsOn ? "on"
                        : "off",
                    workflow is { LiveVersion: not null, IsOn: true },
                    last.GetValueOrDefault(workflow.Id) is { } run ? format.Display(new FieldType.Instant(), run.At) : null,
                    last.GetValueOrDefault(workflow.Id) is { } ended ? RunWords.Of(ended.Status) : null,
                    runs.GetValueOrDefault(workflow.Id)?.Failed ?? 0
                )),
        ];
    }

    public async Task<IActionResult> OnPostAsync(string starter, string? label, CancellationToken cancellation)
    {
        var workflow = (WorkflowStarter.All.FirstOrDefault(known => known.Name == starter) ?? WorkflowStarter.All[0]).Make();
        var stored = await drafts.AddAsync(
            string.IsNullOrWhiteSpace(label) ? workflow : workflow with { Label = label.Trim() },
            cancellation
        );
        return Redirect($"/build/workflows/{stored.Name}?at=trigger");
    }
}
