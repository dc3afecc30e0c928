using System.Globalization;
using Npgsql;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Tests;

/// <summary>A database of a test's own on a real server; ROSTRUM_TEST_POSTGRES says which.</summary>
public sealed class TestDatabase : IAsyncDisposable, ISourceDirectory
{
    private TestDatabase(SourceSettings settings) => Settings = settings;

    public SourceSettings Settings { get; }

    public SourceId Source { get; } = new(Guid.NewGuid());

    public static SourceSettings Server
    {
        get
        {
            var text = new NpgsqlConnectionStringBuilder(
                Environment.GetEnvironmentVariable("ROSTRUM_TEST_POSTGRES")
                    ?? throw new InvalidOperationException("ROSTRUM_TEST_POSTGRES names the server: run ./rostrum test")
            );
            return new SourceSettings(text.Host!, text.Port, text.Database!, text.Username!, text.Password!, Encrypted: false);
        }
    }

    public static async Task<TestDatabase> CreateAsync(string sql = "")
    {
        var name = $"test_{Guid.NewGuid():N}";
        await RunAsync(Server, $"CREATE DATABASE {name}");
        var database = new TestDatabase(Server with { Database = name });
        if (sql.Length > 0)
        {
            await database.RunAsync(sql);
        }

        return database;
    }

    public Task RunAsync(string sql) => RunAsync(Settings, sql);

    public async Task<T> ScalarAsync<T>(string sql)
    {
        await using var source = SqlEngines.Of("postgres").Open(Settings);
        await using var command = source.CreateCommand(sql);
        return (T)(await command.ExecuteScalarAsync())!;
    }

    /// <summary>The datasets that Rostrum drafts from what is there.</summary>
    public async Task<DatasetCatalogue> DraftAsync()
    {
        var read = Assert.IsType<StructureResult.Read>(await SourceConnector.ReadStructureAsync(Settings, CancellationToken.None));
        var format = RecordFormat.For(CultureInfo.GetCultureInfo("en-GB"), TimeZoneInfo.Utc);
        return new DatasetCatalogue(
            DatasetDrafting.Draft(Source, read.Structure, read.Evidence, format, _ => new DatasetId(Guid.NewGuid()))
        );
    }

    public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
        ValueTask.FromResult(source == Source ? Settings : null);

    public async Task RenameAsync(string name)
    {
        await RunAsync(Server, $"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{Settings.Database}'");
        await RunAsync(Server, $"ALTER DATABASE {Settings.Database} RENAME TO {name}");
    }

    public static Task ReturnAsync(string name) => RunAsync(Server, $"ALTER DATABASE {name}_away RENAME TO {name}");

    public async ValueTask DisposeAsync() => await RunAsync(Server, $"DROP DATABASE IF EXISTS {Settings.Database} WITH (FORCE)");

    private static async Task RunAsync(SourceSettings settings, string sql)
    {
        await using var source = SqlEngines.Of("postgres").Open(settings);
        await using var command = source.CreateCommand(sql);
        await command.ExecuteNonQueryAsync();
    }
}
