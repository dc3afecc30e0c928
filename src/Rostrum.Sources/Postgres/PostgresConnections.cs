using System.Collections.Concurrent;
using Npgsql;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Postgres;

/// <summary>One pool of connections for each source, for as long as its settings stay the same.</summary>
internal sealed class PostgresConnections : IAsyncDisposable
{
    // Npgsql would else read infinities as the ends of .NET's calendar, and those ends as infinities.
    static PostgresConnections() => AppContext.SetSwitch("Npgsql.DisableDateTimeInfinityConversions", isEnabled: true);

    private readonly ConcurrentDictionary<SourceId, (SourceSettings Settings, PostgresPool Pool)> _pools = new();

    public PostgresPool For(SourceId id, SourceSettings settings)
    {
        var entry = _pools.AddOrUpdate(
            id,
            _ => (settings, new PostgresPool(Create(settings))),
            (_, old) =>
            {
                if (old.Settings == settings)
                {
                    return old;
                }

                old.Pool.Dispose();
                return (settings, new PostgresPool(Create(settings)));
            }
        );
        return entry.Pool;
    }

    public static NpgsqlDataSource Create(SourceSettings settings)
    {
        var text = new NpgsqlConnectionStringBuilder
        {
            Host = settings.Host,
            Port = settings.Port,
            Database = settings.Database,
            Username = settings.User,
            Password = settings.Password,
            SslMode = settings.Encrypted ? SslMode.Require : SslMode.Prefer,
            Timeout = 5,
            CommandTimeout = 15,
            MaxPoolSize = TableTurns.Connections,
            MaxAutoPrepare = 100,
            AutoPrepareMinUsages = 2,

            // Nothing that we do outlives its transaction, so that a connection comes back as it went.
            NoResetOnClose = true,
            ApplicationName = "Rostrum",
            IncludeErrorDetail = false,
        };
        return new NpgsqlDataSourceBuilder(text.ConnectionString).Build();
    }

    public async ValueTask DisposeAsync()
    {
        foreach (var (_, pool) in _pools.Values)
        {
            await pool.DisposeAsync();
        }
    }
}
