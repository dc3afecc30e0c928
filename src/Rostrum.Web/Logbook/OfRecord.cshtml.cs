using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Workflows;
using Rostrum.Web.Bulk;
using Rostrum.Web.Notes;
using Rostrum.Web.People;

namespace Rostrum.Web.Logbook;

/// <summary>A record’s logbook, beside its fields: changes and runs of workflows, the newest first; changes are undone there.</summary>
internal sealed class OfRecordModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    RecordLogbook logbook,
    RecordNotes notes,
    BulkChanges many,
    RecordGate gate,
    CurrentPerson person,
    RecordFormat format
) : LogbookModel("/Logbook/_OfRecord.cshtml", logbook, many, person)
{
    private const int MostRuns = 20;

    /// <summary>A run of a workflow about the record.</summary>
    public sealed record RunLine(long Id, DateTimeOffset At, string Label, string Says, string? Message, bool Opens);

    public string Key { get; private set; } = "";

    public ImmutableArray<RunLine> Runs { get; private set; } = [];

    public ImmutableArray<ShownNote> Notes { get; private set; } = [];

    public bool MayNote { get; private set; }

    /// <summary>It is the newest of the logbook, and not what is older.</summary>
    public bool IsNewest { get; private set; }

    public NoteForm NewNote => new(Dataset, Key);

    /// <summary>The record holds other values than those with which its logbook ends.</summary>
    public bool ChangedElsewhere { get; private set; }

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public string Here => $"/logbook?dataset={Dataset.Id}&record={Uri.EscapeDataString(Key)}";

    /// <summary>Where older entries are.</summary>
    public string OlderAddress =>
        $"{Here}&before={Older}&until={Uri.EscapeDataString(Changes[^1].At.ToString("O", CultureInfo.InvariantCulture))}";

    /// <summary>The note that another answers, where it is shown.</summary>
    public ShownNote? Answered(ShownNote note) => Notes.FirstOrDefault(known => known.Note.Id == note.Note.ReplyTo);

    /// <summary>Changes, runs and notes in one stream, the newest first.</summary>
    public IEnumerable<(DateTimeOffset At, LogChange? Change, RunLine? Run, ShownNote? Note)> Stream =>
        ChangesInTime
            .Select(one => (one.At, (LogChange?)one.Change, (RunLine?)null, (ShownNote?)null))
            .Concat(Runs.Select(run => (run.At, (LogChange?)null, (RunLine?)run, (ShownNote?)null)))
            .Concat(Notes.Select(note => (note.Note.At, (LogChange?)null, (RunLine?)null, (ShownNote?)note)))
            .OrderByDescending(one => one.At)
            .ThenByDescending(one => one.Item2?.Id ?? long.MaxValue);

    // In the order in which they were made, whatever the clocks of several nodes said.
    private IEnumerable<(DateTimeOffset At, LogChange Change)> ChangesInTime
    {
        get
        {
            var last = DateTimeOffset.MaxValue;
            foreach (var change in Changes)
            {
                last = change.At < last ? change.At : last;
                yield return (last, change);
            }
        }
    }

    public async Task<IActionResult> OnGetAsync(
        Guid dataset,
        string record,
        long? before,
        DateTimeOffset? until,
        CancellationToken cancellation
    ) => await LoadAsync(dataset, record, before, cancellation, until) ? Shown() : NotFound();

    public async Task<IActionResult> OnPostUndoAsync(
        Guid dataset,
        string record,
        long id,
        bool overwrites,
        CancellationToken cancellation
    ) =>
        await FindAsync(dataset, record, id, cancellation) is { } change ? await UndoneAsync(change, overwrites, cancellation) : NotFound();

    public async Task<IActionResult> OnPostUndoTogetherAsync(Guid dataset, string record, long id, CancellationToken cancellation) =>
        await FindAsync(dataset, record, id, cancellation) is { } change ? await TogetherAsync(change, cancellation) : NotFound();

    private Task<LogChange?> FindAsync(Guid dataset, string record, long id, CancellationToken cancellation) =>
        FindAsync(id, before => LoadAsync(dataset, record, before, cancellation));

    private async Task<bool> LoadAsync(
        Guid dataset,
        string record,
        long? before,
        CancellationToken cancellation,
        DateTimeOffset? until = null
    )
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var grants = await Visitor.GrantsAsync(cancellation);
        if (
            workspace.Datasets.Find(new DatasetId(dataset)) is not { } known
            || RecordKey.Parse(known, record) is not { } key
            || (await gate.SeenAsync(workspace.Datasets, known, [key], grants, cancellation)).Count == 0
        )
        {
            return false;
        }

        Open(known, grants);
        Key = key.ToText(known);
        (Changes, Older) = await Log.ReadAsync(known, Key, before, grants, cancellation);
        IsNewest = before is null;
        var verbs = grants.For(known.Id).Verbs;
        MayNote = IsNewest && verbs.HasFlag(Verbs.ReadNotes | Verbs.WriteNotes) && grants.ReadOnlyBecause is null;
        if (verbs.HasFlag(Verbs.ReadNotes))
        {
            // Those of the time of the changes that are shown.
            var from = Older is null ? (DateTimeOffset?)null : Changes[^1].At;
            Notes = await notes.ReadAsync(known, Key, from, until?.ToUniversalTime(), cancellation);
        }

        if (before is null)
        {
            var mayBuild = await Visitor.MayBuildAsync(cancellation);
            Runs =
            [
                .. (
                    await store
                        .WorkflowRuns.AsNoTracking()
                        .Where(run => run.DatasetId == dataset && run.RecordKey == Key && run.Tried == null)
                        .OrderByDescending(run => run.Id)
                        .Take(MostRuns)
                        .Select(run => new
                        {
                            run.Id,
                            run.At,
                            run.WorkflowId,
                            run.Status,
                            run.Message,
                        })
                        .ToListAsync(cancellation)
                ).Select(run => new RunLine(
                    run.Id,
                    run.At,
                    workspace.Workflows.FirstOrDefault(workflow => workflow.Id == run.WorkflowId)?.Live.Label ?? "a workflow that is gone",
                    RunWords.Of(run.Status),
                    mayBuild || run.Status is RunStatus.Stopped ? run.Message : null,
                    mayBuild
                )),
            ];
            ChangedElsewhere = await Log.IsChangedElsewhereAsync(known, key, grants, cancellation);
        }

        return true;
    }
}
