namespace Rostrum.Store;

/// <summary>Wakes the workers of this node: there is something to do. Other nodes hear of it by PostgreSQL.</summary>
public sealed class WorkSignal : IDisposable
{
    /// <summary>The channel by which nodes tell each other.</summary>
    public const string Channel = "rostrum_work";

    private readonly SemaphoreSlim _signal = new(0);

    /// <summary>There is something to do.</summary>
    public void Wake()
    {
        if (_signal.CurrentCount == 0)
        {
            _signal.Release();
        }
    }

    /// <summary>Waits until there is something to do, and no longer than a limit.</summary>
    public Task WaitAsync(TimeSpan limit, CancellationToken cancellation) => _signal.WaitAsync(limit, cancellation);

    /// <inheritdoc/>
    public void Dispose() => _signal.Dispose();
}
