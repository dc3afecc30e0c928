using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;
using Rostrum.Web.Workflows.Running;

namespace Rostrum.Web.Bulk;

/// <summary>Goes on with changes of many records; each with its lock, so that of all nodes one makes it.</summary>
internal sealed partial class BulkWorker(IDbContextFactory<RostrumStore> stores, BulkExecution execution, ILogger<BulkWorker> log)
    : BackgroundService
{
    private const int LockClass = 5_276;
    private static readonly TimeSpan Often = TimeSpan.FromMilliseconds(500);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Often);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
            {
                await GoOnAsync(stoppingToken);
            }
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
        {
            // Another node goes on with it.
        }
    }

    private async Task GoOnAsync(CancellationToken cancellation)
    {
        try
        {
            await using var store = await stores.CreateDbContextAsync(cancellation);
            var running = await store
                .BulkChanges.Where(row => row.Status == BulkStatus.Running)
                .OrderBy(row => row.Id)
                .Select(row => row.Id)
                .ToListAsync(cancellation);
            if (running.Count == 0)
            {
                return;
            }

            await store.Database.OpenConnectionAsync(cancellation);
            foreach (var id in running)
            {
                if (await RunLock.TryAsync(store, LockClass, id, cancellation))
                {
                    try
                    {
                        await OneAsync(id, cancellation);
                    }
                    finally
                    {
                        await RunLock.ReleaseAsync(store, LockClass, id);
                    }
                }
            }
        }
        catch (Exception exception) when (exception is DbException or DbUpdateException or TimeoutException or InvalidOperationException)
        {
            LogOutage(exception.Message);
        }
    }

    private async Task OneAsync(long id, CancellationToken cancellation)
    {
        try
        {
            await execution.GoOnAsync(id, cancellation);
        }
        catch (Exception exception)
            when (exception is not (OperationCanceledException or DbException or DbUpdateException or TimeoutException)
                && !StoreFailure.IsUnreachable(exception)
            )
        {
            // A fault of ours would come again and again.
            LogFault(exception, id);
            await using var store = await stores.CreateDbContextAsync(cancellation);
            await store
                .BulkChanges.Where(row => row.Id == id)
                .ExecuteUpdateAsync(
                    row =>
                        row.SetProperty(bulk => bulk.Status, BulkStatus.Failed)
                            .SetProperty(bulk => bulk.Problem, "Rostrum itself failed here. It has been written down."),
                    cancellation
                );
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Changes of many records wait: {Reason}")]
    private partial void LogOutage(string reason);

    [LoggerMessage(Level = LogLevel.Error, Message = "Change {Bulk} of many records failed")]
    private partial void LogFault(Exception exception, long bulk);
}
