using Microsoft.EntityFrameworkCore;

namespace Rostrum.Store;

/// <summary>Counts what this node knows of changes to the workspace.</summary>
public sealed class WorkspaceRevision
{
    private int _number;

    public int Number => Volatile.Read(ref _number);

    /// <summary>What was read before is no longer true.</summary>
    public void Advance() => Interlocked.Increment(ref _number);
}

/// <summary>Keeps the workspace at hand. It is read anew when a node says that it changed it, and every few seconds in any case.</summary>
public sealed class WorkspaceCache(IDbContextFactory<RostrumStore> stores, WorkspaceRevision revision, TimeProvider time) : IDisposable
{
    private static readonly TimeSpan SafetyNet = TimeSpan.FromSeconds(10);

    private readonly SemaphoreSlim _reading = new(1);
    private volatile Entry? _entry;

    private sealed record Entry(Workspace Workspace, int Revision, DateTimeOffset ReadAt);

    public async ValueTask<Workspace> GetAsync(CancellationToken cancellation)
    {
        if (Fresh() is { } workspace)
        {
            return workspace;
        }

        await _reading.WaitAsync(cancellation);
        try
        {
            if (Fresh() is { } read)
            {
                return read;
            }

            var number = revision.Number;
            await using var store = await stores.CreateDbContextAsync(cancellation);
            var entry = new Entry(await Workspace.ReadAsync(store, _entry?.Workspace, cancellation), number, time.GetUtcNow());
            _entry = entry;
            return entry.Workspace;
        }
        finally
        {
            _reading.Release();
        }
    }

    public void Dispose() => _reading.Dispose();

    private Workspace? Fresh() =>
        _entry is { } entry && entry.Revision == revision.Number && time.GetUtcNow() - entry.ReadAt < SafetyNet ? entry.Workspace : null;
}
