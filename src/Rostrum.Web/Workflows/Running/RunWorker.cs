using System.Collections.Concurrent;
using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>
/// Carries runs on. Any number of nodes do so side by side: whoever goes on with a run holds PostgreSQL's lock for it, which is free again
/// at once where the node is lost.
/// </summary>
internal sealed partial class RunWorker(
    IDbContextFactory<RostrumStore> stores,
    IServiceScopeFactory scopes,
    RunIntake intake,
    SignOffs signOffs,
    WorkSignal signal,
    TimeProvider time,
    ILogger<RunWorker> log
) : BackgroundService
{
    /// <summary>The first part of the name of a run's lock.</summary>
    public const int LockClass = 5_274;

    private const int SideBySide = 8;
    private readonly ConcurrentDictionary<long, byte> _held = new();
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(1);
    private static readonly TimeSpan BetweenReminders = TimeSpan.FromSeconds(30);
    private static readonly TimeSpan BetweenClearings = TimeSpan.FromHours(1);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var room = new SemaphoreSlim(SideBySide);
        var (reminded, cleared) = (DateTimeOffset.MinValue, DateTimeOffset.MinValue);
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                await intake.TakeAsync(stoppingToken);
                var now = time.GetUtcNow();
                if (now - reminded > BetweenReminders)
                {
                    reminded = now;
                    await signOffs.RemindAsync(stoppingToken);
                }

                if (now - cleared > BetweenClearings)
                {
                    cleared = now;
                    await intake.ClearAsync(stoppingToken);
                }

                foreach (var id in await DueAsync(stoppingToken))
                {
                    // Those with which this node goes on already are due as well.
                    if (_held.TryAdd(id, 0))
                    {
                        await room.WaitAsync(stoppingToken);
                        _ = OneAsync(id, room, stoppingToken);
                    }
                }
            }
            catch (Exception exception)
                when (exception is DbException or InvalidOperationException or DbUpdateException or TimeoutException)
            {
                LogOutage(exception.Message);
                await Task.Delay(Longest, stoppingToken);
            }
            catch (OperationCanceledException)
            {
                return;
            }

            try
            {
                await signal.WaitAsync(Longest, stoppingToken);
            }
            catch (OperationCanceledException)
            {
                return;
            }
        }
    }

    // Of runs that go one after the other only the first.
    private async Task<List<long>> DueAsync(CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        var now = time.GetUtcNow();
        return await store
            .Database.SqlQuery<long>(
                $"""
                SELECT r.id AS "Value" FROM workflow_runs r
                WHERE r.status = 'Ready' AND r.due <= {now}
                AND (r.key IS NULL OR NOT EXISTS (
                    SELECT 1 FROM workflow_runs o WHERE o.workflow_id = r.workflow_id AND o.key = r.key AND o.id < r.id
                    AND o.status IN ('Ready', 'Waiting', 'Uncertain')))
                ORDER BY r.due LIMIT {SideBySide * 4}
                """
            )
            .ToListAsync(cancellation);
    }

    private async Task OneAsync(long id, SemaphoreSlim room, CancellationToken cancellation)
    {
        var wentOn = false;
        try
        {
            wentOn = await GoOnAsync(id, cancellation);
        }
        finally
        {
            _held.TryRemove(id, out _);
            room.Release();

            // One that another node holds is asked for a little later.
            if (wentOn)
            {
                signal.Wake();
            }
        }
    }

    private async Task<bool> GoOnAsync(long id, CancellationToken cancellation)
    {
        await using var scope = scopes.CreateAsyncScope();
        await using var store = await stores.CreateDbContextAsync(cancellation);
        try
        {
            await store.Database.OpenConnectionAsync(cancellation);
            if (!await RunLock.TryAsync(store, id, cancellation))
            {
                return false;
            }

            try
            {
                await ActivatorUtilities.CreateInstance<RunExecution>(scope.ServiceProvider).GoOnAsync(store, id, cancellation);
            }
            finally
            {
                await RunLock.ReleaseAsync(store, id);
            }
        }
        catch (OperationCanceledException) when (cancellation.IsCancellationRequested)
        {
            // Another node goes on with it, or this one when it is there again.
        }
        catch (Exception exception) when (StoreFailure.IsOutage(exception, store))
        {
            LogOutage(exception.Message);
        }
        catch (Exception exception)
        {
            LogFault(exception, id);
            await FailAsync(id);
        }

        return true;
    }

    // A fault of ours would come again and again.
    private async Task FailAsync(long id)
    {
        try
        {
            await using var store = await stores.CreateDbContextAsync();
            if (await store.WorkflowRuns.FirstOrDefaultAsync(run => run.Id == id) is { IsOver: false } run)
            {
                (run.Status, run.EndedAt, run.Due) = (RunStatus.Failed, time.GetUtcNow(), null);
                run.Message = "Rostrum itself failed here. It has been written down.";
                await store.SaveChangesAsync();
            }
        }
        catch (Exception exception) when (exception is DbException or DbUpdateException)
        {
            LogOutage(exception.Message);
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "Workflows wait for the store: {Reason}")]
    private partial void LogOutage(string reason);

    [LoggerMessage(Level = LogLevel.Error, Message = "Run {Run} of a workflow failed")]
    private partial void LogFault(Exception exception, long run);
}

/// <summary>The lock of a run: whoever holds it is the only one who goes on with it.</summary>
internal static class RunLock
{
    /// <summary>Takes it if nobody holds it. The store's connection must be open, and stay so.</summary>
    public static Task<bool> TryAsync(RostrumStore store, long run, CancellationToken cancellation) =>
        TryAsync(store, RunWorker.LockClass, run, cancellation);

    /// <summary>The same of something else that only one node goes on with, named by a class of its own.</summary>
    public static async Task<bool> TryAsync(RostrumStore store, int lockClass, long number, CancellationToken cancellation) =>
        await store
            .Database.SqlQuery<bool>($"SELECT pg_try_advisory_lock({lockClass}, {(int)number}) AS \"Value\"")
            .SingleAsync(cancellation);

    /// <summary>Waits for it, some seconds at most.</summary>
    public static async Task<bool> WaitAsync(RostrumStore store, long run, CancellationToken cancellation)
    {
        for (var tries = 0; tries < 100; tries++)
        {
            if (await TryAsync(store, run, cancellation))
            {
                return true;
            }

            await Task.Delay(50, cancellation);
        }

        return false;
    }

    public static Task ReleaseAsync(RostrumStore store, long run) => ReleaseAsync(store, RunWorker.LockClass, run);

    public static async Task ReleaseAsync(RostrumStore store, int lockClass, long number)
    {
        try
        {
            await store.Database.ExecuteSqlAsync($"SELECT pg_advisory_unlock({lockClass}, {(int)number})");
        }
        catch (Exception exception) when (exception is DbException or InvalidOperationException)
        {
            // The connection is lost, and the lock with it.
        }
    }
}
