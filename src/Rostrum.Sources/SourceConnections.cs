using System.Collections.Concurrent;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>One pool of connections for each source, for as long as its settings stay the same.</summary>
internal sealed class SourceConnections : IAsyncDisposable
{
    private readonly ConcurrentDictionary<SourceId, (SourceSettings Settings, SqlPool Pool)> _pools = new();

    public SqlPool For(SourceId id, SourceSettings settings)
    {
        var entry = _pools.AddOrUpdate(
            id,
            _ => (settings, Open(settings)),
            (_, old) =>
            {
                if (old.Settings == settings)
                {
                    return old;
                }

                old.Pool.Dispose();
                return (settings, Open(settings));
            }
        );
        return entry.Pool;
    }

    /// <summary>A pool of its own, for trying a connection out.</summary>
    public static SqlPool Open(SourceSettings settings)
    {
        var engine = SqlEngines.Of(settings.Kind);
        return new SqlPool(engine, engine.Open(settings));
    }

    public async ValueTask DisposeAsync()
    {
        foreach (var (_, pool) in _pools.Values)
        {
            await pool.DisposeAsync();
        }
    }
}
