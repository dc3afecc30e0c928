using System.Collections.Concurrent;
using System.Data.Common;
using System.Runtime.CompilerServices;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Sources.Sql;

/// <summary>One database's connections, and what was learnt of its statements and tables while they were used.</summary>
internal sealed class SqlPool(SqlEngine engine, SourceSettings settings) : ISource
{
    private const int MostLongReads = 10;
    private readonly DbDataSource _connections = engine.Open(settings);
    private readonly Lazy<SqlPool>? _reading = settings.ReadsOnly
        ? null
        : new(() => new SqlPool(engine, settings with { ReadsOnly = true }));

    private int _longReads;

    /// <summary>The same database over connections that cannot write: queries of builders go there.</summary>
    public SqlPool Reading => _reading?.Value ?? this;

    public SqlEngine Engine => engine;

    /// <summary>
    /// Rows may be read for minutes, as slowly as somebody takes them: by some at a time, so that connections are left for the others.
    /// </summary>
    public bool TakesLongReads => engine.ReadsBesideWrites && Volatile.Read(ref _longReads) < MostLongReads;

    /// <summary>What was learnt.</summary>
    public SourceExperience Experience { get; } = new();

    /// <summary>Turns at its tables.</summary>
    public TableTurns Turns { get; } = new();

    public async ValueTask<DbConnection> OpenConnectionAsync(CancellationToken cancellation)
    {
        var connection = await _connections.OpenConnectionAsync(cancellation);
        engine.Prepare(connection);
        return connection;
    }

    /// <summary>Rows as a statement gives them, for as long as that takes.</summary>
    public async IAsyncEnumerable<DbDataReader> LongReadAsync(SqlText sql, [EnumeratorCancellation] CancellationToken cancellation)
    {
        Interlocked.Increment(ref _longReads);
        try
        {
            await using var connection = await OpenConnectionAsync(cancellation);
            await using var command = sql.Command(connection);
            await using var reader = await command.ExecuteReaderAsync(cancellation);
            while (await reader.ReadAsync(cancellation))
            {
                yield return reader;
            }
        }
        finally
        {
            Interlocked.Decrement(ref _longReads);
        }
    }

    public Task<Look> LookAsync(Wanted wanted, Gathering? gathering, CancellationToken cancellation)
    {
        var statements = wanted.Dataset is { Query: null, Join: null } ? Statements.Of(this, gathering) : Statements.Of(Reading, null);
        return Task.FromResult(new Look(wanted.Told is null ? statements : new WatchedStatements(statements, wanted), wanted.Request));
    }

    public async Task<Writing> WriteAsync(Dataset dataset, IReadOnlyCollection<Change> changes, CancellationToken cancellation) =>
        new(engine, await OpenConnectionAsync(cancellation));

    public async Task PingAsync(CancellationToken cancellation)
    {
        await using var connection = await OpenConnectionAsync(cancellation);
        await using var command = connection.CreateCommand();
        command.CommandText = "SELECT 1";
        await command.ExecuteScalarAsync(cancellation);
    }

    public async Task<SourceStructure> ReadStructureAsync(bool withValues, CancellationToken cancellation)
    {
        await using var connection = await OpenConnectionAsync(cancellation);
        var structure = await engine.ReadStructureAsync(connection, cancellation);
        return withValues ? await engine.WithValuesAsync(connection, structure, cancellation) : structure;
    }

    public async Task<RelationEvidence> WeighAsync(RelationCandidate candidate, CancellationToken cancellation)
    {
        await using var connection = await OpenConnectionAsync(cancellation);
        return await engine.WeighAsync(connection, candidate, cancellation);
    }

    public bool IsExpected(Exception exception) => engine.IsExpected(exception);

    public SourceFailure FailureOf(Exception exception) => engine.FailureOf(exception, settings);

    public void Dispose()
    {
        _connections.Dispose();
        if (_reading is { IsValueCreated: true, Value: var reading })
        {
            reading.Dispose();
        }
    }

    public async ValueTask DisposeAsync()
    {
        await _connections.DisposeAsync();
        if (_reading is { IsValueCreated: true, Value: var reading })
        {
            await reading.DisposeAsync();
        }
    }
}

/// <summary>What was learnt of a source: guesses that make the next request quicker, and nothing on which an answer depends.</summary>
internal sealed class SourceExperience
{
    /// <summary>Statements that were slow, by their texts, and how long they took.</summary>
    public Remembered<TimeSpan> SlowStatements { get; } = new(2_000);

    /// <summary>Tables that are too large for one shared look, and when that was found, in milliseconds of the machine's clock.</summary>
    public Remembered<long> LargeTables { get; } = new(2_000);

    /// <summary>Estimated counts, and when they were asked for, in milliseconds of the machine's clock.</summary>
    public Remembered<(RecordCount Count, long At)> Estimates { get; } = new(1_000);

    /// <summary>First pages that were full, by their statements' texts.</summary>
    public Remembered<bool> FullPages { get; } = new(2_000);
}

/// <summary>Values by text, not more than so many: the oldest knowledge is worth nothing, so that all goes at once.</summary>
internal sealed class Remembered<T>(int most)
{
    private readonly ConcurrentDictionary<string, T> _values = new(StringComparer.Ordinal);

    public bool TryGet(string text, out T value) => _values.TryGetValue(text, out value!);

    public bool Has(string text) => _values.ContainsKey(text);

    public void Keep(string text, T value)
    {
        if (_values.Count >= most)
        {
            _values.Clear();
        }

        _values[text] = value;
    }

    public void Forget(string text) => _values.TryRemove(text, out _);
}
