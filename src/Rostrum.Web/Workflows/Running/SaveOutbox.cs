using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Logbook;

namespace Rostrum.Web.Workflows.Running;

/// <summary>
/// Writes down what is saved, for the logbook and the workflows that hear of it, just before its transaction ends: where a node is lost
/// at that moment, another asks the database whether it ended.
/// </summary>
internal sealed partial class SaveOutbox(
    IDbContextFactory<RostrumStore> stores,
    WorkspaceCache workspaces,
    ChangeOrigin origin,
    SavedMarks marks,
    TimeProvider time,
    ILogger<SaveOutbox> log
)
{
    /// <summary>Writes down what is about to be saved.</summary>
    /// <returns>The number under which it stands.</returns>
    public async Task<long> WriteAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, string transaction)
    {
        var run = RunAmbient.Current;
        var workspace = await workspaces.GetAsync(CancellationToken.None);
        var (person, name) = origin.Who(workspace);
        var row = new SavedRecords
        {
            DatasetId = dataset.Id.Value,
            Transaction = transaction,
            Changes = SavedChangeJson.Write(changes.SelectMany(change => SavedChangeJson.Of(dataset, change, workspace.IsHeard))),
            PersonId = person,
            PersonName = name ?? ChangeOrigin.Nobody,
            Via = await origin.SaidAsync(CancellationToken.None),
            Occasion = origin.Occasion,
            Depth = run?.Depth ?? 0,
            At = time.GetUtcNow(),
        };
        await using var store = await stores.CreateDbContextAsync();
        store.SavedRecords.Add(row);
        if (run?.Writing is not { } told)
        {
            await store.SaveChangesAsync();
            return row.Id;
        }

        await using var together = await store.Database.BeginTransactionAsync();
        await store.SaveChangesAsync();
        await told(store, row, changes.Count);
        await together.CommitAsync();
        return row.Id;
    }

    /// <summary>It is saved: it stands in the logbook, and the workflows may begin.</summary>
    public async Task SavedAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, long? written)
    {
        if (written is { } id)
        {
            marks.Add(id);
            return;
        }

        try
        {
            marks.Add(await WriteAsync(dataset, changes, ""));
        }
        catch (Exception exception) when (exception is DbException or DbUpdateException or InvalidOperationException or TimeoutException)
        {
            LogUntold(exception, dataset.Label);
        }
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "What was saved of {Dataset} stands in no logbook, and no workflow hears of it")]
    private partial void LogUntold(Exception exception, string dataset);
}
