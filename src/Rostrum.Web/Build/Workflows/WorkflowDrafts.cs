using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Workflows;

/// <summary>Edits workflows' drafts, publishes them, and takes both back.</summary>
internal sealed class WorkflowDrafts(RostrumStore store, WorkspaceCache workspaces, TimeProvider time)
{
    private const int MostKept = 200;

    /// <summary>A workflow by its name; null where there is none.</summary>
    public Task<StoredWorkflow?> FindAsync(string name, CancellationToken cancellation) =>
        store.Workflows.AsNoTracking().FirstOrDefaultAsync(workflow => workflow.Name == name, cancellation);

    /// <summary>A new workflow, with a name of its own.</summary>
    public async Task<StoredWorkflow> AddAsync(Workflow workflow, CancellationToken cancellation)
    {
        var taken = await store.Workflows.Select(known => known.Name).ToListAsync(cancellation);
        var name = Wording.FieldName(workflow.Label, taken.Select(known => new Core.Datasets.FieldName(known))).Value;
        var stored = new StoredWorkflow
        {
            Id = Guid.NewGuid(),
            Name = name,
            Draft = workflow,
        };
        store.Workflows.Add(stored);
        await store.SaveChangesAsync(cancellation);
        return stored;
    }

    /// <summary>Makes an edit of what is there at that moment; nothing where it changes nothing.</summary>
    public async Task EditAsync(Guid id, Func<Workflow, Workflow> edit, string said, string person, CancellationToken cancellation) =>
        await store.SaveOnNewestAsync(
            async () =>
            {
                var stored = await store.Workflows.FirstAsync(known => known.Id == id, cancellation);
                var after = edit(stored.Draft);
                if (ReferenceEquals(after, stored.Draft) || Same(after, stored.Draft))
                {
                    return;
                }

                // What was undone is gone once something else is done.
                store.WorkflowEdits.RemoveRange(
                    await store.WorkflowEdits.Where(row => row.WorkflowId == id && row.IsUndone).ToListAsync(cancellation)
                );
                store.WorkflowEdits.Add(
                    new StoredWorkflowEdit
                    {
                        WorkflowId = id,
                        Said = said,
                        PersonName = person,
                        Before = stored.Draft,
                        After = after,
                        At = time.GetUtcNow(),
                    }
                );
                stored.Draft = after;
                stored.Revision++;
            },
            cancellation
        );

    /// <summary>Takes the last edit back, or makes the last one that was taken back again.</summary>
    /// <returns>What it was; null where there is none.</returns>
    public async Task<string?> StepBackAsync(Guid id, bool redo, CancellationToken cancellation)
    {
        string? said = null;
        await store.SaveOnNewestAsync(
            async () =>
            {
                var edits = store.WorkflowEdits.Where(row => row.WorkflowId == id && row.IsUndone == redo);
                var edit = await (redo ? edits.OrderBy(row => row.Id) : edits.OrderByDescending(row => row.Id)).FirstOrDefaultAsync(
                    cancellation
                );
                if (edit is null)
                {
                    return;
                }

                var stored = await store.Workflows.FirstAsync(known => known.Id == id, cancellation);
                stored.Draft = redo ? edit.After : edit.Before;
                stored.Revision++;
                edit.IsUndone = !redo;
                said = edit.Said;
            },
            cancellation
        );
        return said;
    }

    /// <summary>What would be undone, and what made again; null where there is nothing.</summary>
    public async Task<(string? Undo, string? Redo)> PossibleAsync(Guid id, CancellationToken cancellation)
    {
        var rows = await store
            .WorkflowEdits.AsNoTracking()
            .Where(row => row.WorkflowId == id)
            .OrderByDescending(row => row.Id)
            .Select(row => new { row.Said, row.IsUndone })
            .Take(MostKept)
            .ToListAsync(cancellation);
        return (rows.FirstOrDefault(row => !row.IsUndone)?.Said, rows.LastOrDefault(row => row.IsUndone)?.Said);
    }

    /// <summary>Publishes the draft as the next version, and makes it live. It hears its trigger from then on.</summary>
    public async Task<int> PublishAsync(Guid id, string note, string person, CancellationToken cancellation)
    {
        var number = 0;
        await store.SaveOnNewestAsync(
            async () =>
            {
                var stored = await store.Workflows.FirstAsync(known => known.Id == id, cancellation);
                number =
                    1
                    + (
                        await store
                            .WorkflowVersions.Where(version => version.WorkflowId == id)
                            .MaxAsync(version => (int?)version.Number, cancellation)
                        ?? 0
                    );
                store.WorkflowVersions.Add(
                    new StoredWorkflowVersion
                    {
                        WorkflowId = id,
                        Number = number,
                        Note = note,
                        Definition = stored.Draft,
                        PublishedBy = person,
                        PublishedAt = time.GetUtcNow(),
                    }
                );
                stored.IsOn |= stored.LiveVersion is null;
                stored.LiveVersion = number;

                // A schedule counts from now on.
                stored.ScheduledUpTo = time.GetUtcNow();
            },
            cancellation
        );
        return number;
    }

    /// <summary>Turns a workflow on or off.</summary>
    public async Task TurnAsync(Guid id, bool on, CancellationToken cancellation) =>
        await store.SaveOnNewestAsync(
            async () =>
            {
                var stored = await store.Workflows.FirstAsync(known => known.Id == id, cancellation);
                if (stored.IsOn != on)
                {
                    stored.IsOn = on;

                    // What came while it was off is not made up for.
                    stored.ScheduledUpTo = time.GetUtcNow();
                }
            },
            cancellation
        );

    /// <summary>What else there is in the workspace that workflows name.</summary>
    public async Task<WorkflowSurroundings> AroundAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var drafts = await store.Workflows.AsNoTracking().Select(known => new { known.Name, known.Draft }).ToListAsync(cancellation);
        return new WorkflowSurroundings(
            drafts.ToImmutableDictionary(known => known.Name, known => known.Draft),
            [.. workspace.Roles.Select(role => role.Name)],
            workspace.Secrets.Keys.ToImmutableHashSet(StringComparer.OrdinalIgnoreCase),
            [.. workspace.Sources.Values.Where(source => source.Kind == "http").Select(source => new SourceId(source.Id))]
        );
    }

    private static bool Same(Workflow one, Workflow other) => Core.KindJson.Write(one) == Core.KindJson.Write(other);
}
