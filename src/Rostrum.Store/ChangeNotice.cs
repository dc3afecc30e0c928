using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.ChangeTracking;
using Microsoft.EntityFrameworkCore.Diagnostics;
using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;
using Npgsql;

namespace Rostrum.Store;

/// <summary>Tells every node, this one first, that the workspace was changed.</summary>
internal sealed class ChangeNotice(WorkspaceRevision revision) : SaveChangesInterceptor
{
    public const string Channel = "rostrum_changed";

    public override ValueTask<InterceptionResult<int>> SavingChangesAsync(
        DbContextEventData eventData,
        InterceptionResult<int> result,
        CancellationToken cancellationToken = default
    )
    {
        if (eventData.Context is RostrumStore store)
        {
            store.ChangesTheWorkspace = store.ChangeTracker.Entries().Any(IsOfTheWorkspace);
        }

        return ValueTask.FromResult(result);
    }

    // What people do with records is nothing that a node keeps at hand; what a builder does to a draft is no more than the draft's, but
    // for the app's name; and of a personal table it matters only that there is one.
    private static bool IsOfTheWorkspace(EntityEntry entry) =>
        entry switch
        {
            { State: EntityState.Unchanged } => false,
            {
                Entity: UndoEntry
                    or SentForm
                    or SignInAttempt
                    or Invitation
                    or OutgoingMail
                    or StoredEdit
                    or StoredDraftPage
                    or StoredApiToken
                    or AuditEntry
                    or RecordEvent
                    or InboxItem
                    or StoredWorkflowEdit
                    or WorkflowRun
                    or WorkflowRunStep
                    or WorkflowRunList
                    or SignOffRequest
                    or SavedRecords
                    or LogEntry
                    or StoredUnsaved
                    or UnsavedForm
                    or BulkChange
                    or BulkPart
                    or Import
                    or ImportPiece
                    or ImportMapping
                    or RecordNote
                    or NoteVersion
                    or StoredFile
                    or FilePiece
                    or StoredAlteration
                    or AppOpening
            } => false,
            { State: EntityState.Added, Entity: SignInSession } => false,
            { State: EntityState.Modified, Entity: StoredPersonalTable } => false,
            { State: EntityState.Modified, Entity: StoredWorkflow } => entry.Property(nameof(StoredWorkflow.LiveVersion)).IsModified
                || entry.Property(nameof(StoredWorkflow.IsOn)).IsModified
                || entry.Property(nameof(StoredWorkflow.Name)).IsModified,
            { State: EntityState.Modified, Entity: StoredApp } => entry.Property(nameof(StoredApp.LiveVersion)).IsModified
                || entry.Property(nameof(StoredApp.Name)).IsModified,
            _ => true,
        };

    public override async ValueTask<int> SavedChangesAsync(
        SaveChangesCompletedEventData eventData,
        int result,
        CancellationToken cancellationToken = default
    )
    {
        if (eventData.Context is RostrumStore { ChangesTheWorkspace: true } store)
        {
            revision.Advance();
            await store.Database.ExecuteSqlRawAsync($"NOTIFY {Channel}", cancellationToken);
        }

        return result;
    }
}

/// <summary>Listens to what other nodes changed.</summary>
internal sealed partial class ChangeListener(
    NpgsqlDataSource source,
    WorkspaceRevision revision,
    RecordChanges records,
    WorkSignal work,
    ILogger<ChangeListener> log
) : BackgroundService
{
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                await using var connection = await source.OpenConnectionAsync(stoppingToken);
                connection.Notification += (_, notice) => Heard(notice);
                await using (
                    var listen = new NpgsqlCommand(
                        $"LISTEN {ChangeNotice.Channel}; LISTEN {RecordChanges.Channel}; LISTEN {WorkSignal.Channel}",
                        connection
                    )
                )
                {
                    await listen.ExecuteNonQueryAsync(stoppingToken);
                }

                revision.Advance();
                while (true)
                {
                    await connection.WaitAsync(stoppingToken);
                }
            }
            catch (Exception exception) when (exception is NpgsqlException or IOException or TimeoutException)
            {
                LogLost(exception.Message);
                await Task.Delay(TimeSpan.FromSeconds(2), stoppingToken);
            }
            catch (OperationCanceledException)
            {
                return;
            }
        }
    }

    private void Heard(NpgsqlNotificationEventArgs notice)
    {
        if (notice.Channel == RecordChanges.Channel)
        {
            records.Heard(notice.Payload);
        }
        else if (notice.Channel == WorkSignal.Channel)
        {
            work.Wake();
        }
        else
        {
            revision.Advance();
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "The store's change notices are interrupted: {Reason}")]
    private partial void LogLost(string reason);
}
