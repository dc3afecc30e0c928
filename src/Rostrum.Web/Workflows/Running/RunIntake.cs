using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>Begins the runs that records' saves and schedules set off; and removes those that have been kept long enough.</summary>
internal sealed class RunIntake(
    IDbContextFactory<RostrumStore> stores,
    WorkspaceCache workspaces,
    RunIdentity identity,
    RunStarts starts,
    RecordGate gate,
    RecordFormat format,
    TimeProvider time
)
{
    private const int AtOnce = 100;
    private static readonly TimeSpan Doubtful = TimeSpan.FromSeconds(5);
    private static readonly TimeSpan Late = TimeSpan.FromMinutes(5);

    /// <summary>Begins what is to begin.</summary>
    public async Task TakeAsync(CancellationToken cancellation)
    {
        while (await SavesAsync(cancellation) == AtOnce) { }
        await SchedulesAsync(cancellation);
    }

    /// <summary>Removes runs and months of the logbook that were kept for as long as they should be.</summary>
    public async Task ClearAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await RecordLog.ClearAsync(store, time.GetUtcNow(), cancellation);
        foreach (var workflow in workspace.Workflows)
        {
            var before = time.GetUtcNow().AddDays(-workflow.Live.KeptDays);
            await store.WorkflowRuns.Where(run => run.WorkflowId == workflow.Id && run.EndedAt < before).ExecuteDeleteAsync(cancellation);
        }
    }

    private async Task<int> SavesAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        await using var store = await stores.CreateDbContextAsync(cancellation);
        var doubtful = time.GetUtcNow() - Doubtful;
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var saves = await store
            .SavedRecords.FromSql(
                $"""
                SELECT * FROM saved_records WHERE is_saved OR at < {doubtful}
                ORDER BY id LIMIT {AtOnce} FOR UPDATE SKIP LOCKED
                """
            )
            .ToListAsync(cancellation);
        var (gone, entries) = (0, new List<LogEntry>());
        foreach (var save in saves)
        {
            // One of which it is not known yet is asked after again.
            if ((save.IsSaved ? true : await WasSavedAsync(workspace, save, cancellation)) is not { } saved)
            {
                continue;
            }

            if (saved)
            {
                var changes = SavedChangeJson.Read(save.Changes);
                entries.AddRange(changes.Select(change => Entry(save, change)));
                await BeginAsync(store, workspace, save, changes, cancellation);
            }

            store.SavedRecords.Remove(save);
            gone++;
        }

        await store.SaveChangesAsync(cancellation);
        await RecordLog.AddAsync(store, entries, cancellation);
        await transaction.CommitAsync(cancellation);
        return gone;
    }

    // The node was lost, or the line that says so: the database is asked. One that cannot say is believed to have kept it, as it nearly
    // always has.
    private async Task<bool?> WasSavedAsync(Workspace workspace, SavedRecords save, CancellationToken cancellation) =>
        workspace.Datasets.Find(new DatasetId(save.DatasetId)) is not { } dataset ? false
        : save.Transaction.Length == 0 ? true
        : await gate.CameToItsEndAsync(dataset, save.Transaction, cancellation);

    private static LogEntry Entry(SavedRecords save, SavedChangeJson change) =>
        new()
        {
            At = save.At,
            DatasetId = change.Dataset ?? save.DatasetId,
            Key = change.Key,
            Title = change.Title,
            Kind = change.Kind,
            Fields = change.Logged,
            Inverse = change.Inverse,
            PersonId = save.PersonId,
            PersonName = save.PersonName,
            Via = save.Via,
            Batch = save.Id,
            Occasion = save.Occasion,
        };

    private async Task BeginAsync(
        RostrumStore store,
        Workspace workspace,
        SavedRecords save,
        SavedChangeJson[] changes,
        CancellationToken cancellation
    )
    {
        foreach (var (workflow, trigger) in workspace.SetOffBy<AfterSave>())
        {
            var heard = changes.Where(change => trigger.Dataset?.Value == (change.Dataset ?? save.DatasetId) && change.IsHeardBy(trigger));
            foreach (var change in heard)
            {
                if (await StartAsync(workspace, workflow, trigger, save, change, cancellation) is { } run)
                {
                    store.WorkflowRuns.Add(run);
                }
            }
        }
    }

    private async Task<WorkflowRun?> StartAsync(
        Workspace workspace,
        WorkflowEntry workflow,
        AfterSave trigger,
        SavedRecords save,
        SavedChangeJson change,
        CancellationToken cancellation
    )
    {
        var input = change.Input(save.PersonName);
        var grants = await identity.GrantsAsync(workspace, workflow.Live, save.PersonId, cancellation);
        var reading = new RunReading(identity.ScopeOf(workspace, workflow.Live, grants), gate, grants, format);
        string[] formulas =
        [
            .. new[] { trigger.Condition, workflow.Live.OneAtATime }.OfType<string>().Where(formula => formula.Length > 0),
        ];
        RunScope? scope = null;
        var start = new RunStart($"{change.Title} was {change.Kind}", input)
        {
            PersonId = save.PersonId,
            PersonName = save.PersonName,
            Depth = save.Depth,
            DatasetId = change.Dataset ?? save.DatasetId,
            RecordKey = change.Key,
            RecordTitle = change.Title,
        };
        if (formulas.Length > 0)
        {
            // One that cannot be asked with these rights is no condition that does not hold.
            if (formulas.Select(reading.ProblemAtTrigger).FirstOrDefault(problem => problem is not null) is { } problem)
            {
                return starts.Failed(workflow, start, $"Not begun with the rights that it has: {problem}");
            }

            using var json = JsonDocument.Parse(input);
            scope = await reading.TriggerScopeAsync(json.RootElement, formulas, cancellation);
            if (trigger.Condition.Length > 0 && scope.Value(trigger.Condition) is not true)
            {
                return null;
            }
        }

        return starts.Run(workflow, start with { Key = workflow.Live.OneAtATime is { Length: > 0 } key ? scope!.Text("=" + key) : null });
    }

    private async Task SchedulesAsync(CancellationToken cancellation)
    {
        var scheduled = (await workspaces.GetAsync(cancellation)).SetOffBy<OnSchedule>().ToArray();
        if (scheduled.Length == 0)
        {
            return;
        }

        var now = time.GetUtcNow();
        await using var store = await stores.CreateDbContextAsync(cancellation);
        var ids = scheduled.Select(known => known.Workflow.Id).ToArray();
        var upTo = await store
            .Workflows.Where(row => ids.Contains(row.Id) && row.ScheduledUpTo != null)
            .ToDictionaryAsync(row => row.Id, row => row.ScheduledUpTo!.Value, cancellation);
        foreach (var (workflow, trigger) in scheduled)
        {
            if (upTo.TryGetValue(workflow.Id, out var from) && Due(trigger, from, now) is { } at)
            {
                await ScheduleAsync(store, workflow, trigger, at, now, cancellation);
            }
        }
    }

    // Of many moments that were missed the last one counts.
    private DateTimeOffset? Due(OnSchedule trigger, DateTimeOffset from, DateTimeOffset now)
    {
        DateTimeOffset? due = null;
        while (CronTimes.Next(trigger.Times, due ?? from, format.Zone, 1) is [var next] && next <= now)
        {
            due = next;
        }

        return due;
    }

    // Whichever node says first up to when the schedule is kept begins the run.
    private async Task ScheduleAsync(
        RostrumStore store,
        WorkflowEntry workflow,
        OnSchedule trigger,
        DateTimeOffset at,
        DateTimeOffset now,
        CancellationToken cancellation
    )
    {
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        var isFirst =
            await store
                .Workflows.Where(row => row.Id == workflow.Id && row.ScheduledUpTo < at)
                .ExecuteUpdateAsync(row => row.SetProperty(one => one.ScheduledUpTo, now), cancellation) == 1;
        if (isFirst && !(now - at > Late && trigger.Missed is MissedRuns.Never))
        {
            var input = new JsonObject { ["at"] = at.ToUniversalTime().ToString("O", CultureInfo.InvariantCulture) };
            store.WorkflowRuns.Add(
                starts.Run(workflow, new RunStart("its schedule", input.ToJsonString()) { PersonName = "the schedule" })
            );
            await store.SaveChangesAsync(cancellation);
        }

        await transaction.CommitAsync(cancellation);
    }
}
