using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>
/// Writes down what is saved of records that workflows hear of, just before their transaction ends: where a node is lost at that moment,
/// another asks the database whether it ended.
/// </summary>
internal sealed partial class SaveOutbox(
    IDbContextFactory<RostrumStore> stores,
    WorkspaceCache workspaces,
    IActor actor,
    WorkSignal signal,
    TimeProvider time,
    ILogger<SaveOutbox> log
)
{
    /// <summary>Whether a workflow hears of a dataset's records after they are saved.</summary>
    public async ValueTask<bool> HearsAsync(DatasetId dataset, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        return workspace.HeardDatasets.Contains(dataset.Value)
            && workspace.SetOffBy<Core.Workflows.Triggers.AfterSave>().Any(known => known.Trigger.Dataset == dataset);
    }

    /// <summary>Writes down what is about to be saved.</summary>
    /// <returns>The number under which it stands.</returns>
    public async Task<long> WriteAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, string transaction, bool isSaved)
    {
        var run = RunAmbient.Current;
        var workspace = await workspaces.GetAsync(CancellationToken.None);
        var person = run is null ? actor.Id : run.PersonId;
        var row = new SavedRecords
        {
            DatasetId = dataset.Id.Value,
            Transaction = transaction,
            Changes = SavedChangeJson.Write(changes.Select(change => SavedChangeJson.Of(dataset, change))),
            PersonId = person,
            PersonName = run?.PersonName
                ?? (person is { } id ? workspace.People.GetValueOrDefault(id)?.Name : null)
                ?? "somebody not signed in",
            Depth = run?.Depth ?? 0,
            At = time.GetUtcNow(),
            IsSaved = isSaved,
        };
        await using var store = await stores.CreateDbContextAsync();
        store.SavedRecords.Add(row);
        await store.SaveChangesAsync();
        return row.Id;
    }

    /// <summary>It is saved: the workflows may begin.</summary>
    public async Task SavedAsync(Dataset dataset, IReadOnlyCollection<SavedChange> changes, long? written)
    {
        try
        {
            if (written is null && !await HearsAsync(dataset.Id, CancellationToken.None))
            {
                return;
            }

            await using var store = await stores.CreateDbContextAsync();
            if (written is { } id)
            {
                await store.SavedRecords.Where(row => row.Id == id).ExecuteUpdateAsync(row => row.SetProperty(one => one.IsSaved, true));
            }
            else
            {
                await WriteAsync(dataset, changes, "", isSaved: true);
            }

            signal.Wake();
            await RunStarts.WakeAsync(store, CancellationToken.None);
        }
        catch (Exception exception) when (exception is DbException or DbUpdateException or InvalidOperationException or TimeoutException)
        {
            // What was written beforehand is found later.
            LogUntold(exception, dataset.Label);
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Workflows hear later of what was saved of {Dataset}")]
    private partial void LogUntold(Exception exception, string dataset);
}
