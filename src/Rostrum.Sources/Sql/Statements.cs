using System.Collections.Concurrent;
using System.Data.Common;
using System.Diagnostics;
using System.Runtime.CompilerServices;

namespace Rostrum.Sources.Sql;

/// <summary>Carries out statements that read.</summary>
internal abstract class Statements
{
    /// <summary>The kind of database.</summary>
    public abstract SqlEngine Engine { get; }

    /// <summary>What was learnt of the source.</summary>
    public abstract SourceExperience Experience { get; }

    /// <summary>The rows that a statement gives, each read as it comes.</summary>
    public abstract Task<List<T>> RowsAsync<T>(SqlText sql, Func<DbDataReader, T> row, CancellationToken cancellation);

    /// <summary>
    /// The rows that answer a request as they are, each with the values of its dataset's stored fields; null where a statement finds them.
    /// </summary>
    public virtual IReadOnlyList<object?[]>? Decided => null;

    /// <summary>
    /// The rows that a statement gives, some at a time, however long that takes, with other statements beside it; null where that is not
    /// possible.
    /// </summary>
    public virtual IAsyncEnumerable<List<T>>? Parts<T>(
        SqlText sql,
        Func<DbDataReader, T> row,
        int atOnce,
        CancellationToken cancellation
    ) => null;

    /// <summary>The one row that a statement gives.</summary>
    /// <param name="sql">The statement.</param>
    /// <param name="overall">Its parts, where it may share a look at its table with others.</param>
    /// <param name="read">Reads the row, whose columns begin at a number.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public virtual async Task<T> OneAsync<T>(
        SqlText sql,
        Overall? overall,
        Func<DbDataReader, int, T> read,
        CancellationToken cancellation
    ) => (await RowsAsync(sql, reader => read(reader, 0), cancellation))[0];

    /// <summary>Those on one connection, one after the other: within a transaction, what was written in it counts.</summary>
    public static Statements On(SqlEngine engine, DbConnection connection, DbTransaction? transaction) =>
        new OnConnection(engine, connection, transaction, null);

    /// <summary>The same for several who ask at the same moment: a connection answers one of them at a time.</summary>
    public static Statements On(SqlEngine engine, DbConnection connection, DbTransaction transaction, SemaphoreSlim turn) =>
        new OnConnection(engine, connection, transaction, turn);

    /// <summary>Those on a connection that is one request's own, for several of its parts at the same moment.</summary>
    public static Statements Within(SqlEngine engine, DbConnection connection, SemaphoreSlim turn) =>
        new OnConnection(engine, connection, null, turn);

    /// <summary>Those that make do with any connection.</summary>
    public static Statements Of(SqlPool pool, Gathering? gathering) => new FromPool(pool, gathering);

    private static async Task<List<T>> AllAsync<T>(DbDataReader reader, Func<DbDataReader, T> row, CancellationToken cancellation)
    {
        var rows = new List<T>();
        while (await reader.ReadAsync(cancellation))
        {
            rows.Add(row(reader));
        }

        return rows;
    }

    private sealed class OnConnection(SqlEngine engine, DbConnection connection, DbTransaction? transaction, SemaphoreSlim? turn)
        : Statements
    {
        public override SqlEngine Engine => engine;

        // Within a transaction the source is as nobody else sees it.
        public override SourceExperience Experience { get; } = new();

        public override async Task<List<T>> RowsAsync<T>(SqlText sql, Func<DbDataReader, T> row, CancellationToken cancellation)
        {
            await (turn?.WaitAsync(cancellation) ?? Task.CompletedTask);
            try
            {
                await using var command = sql.Command(connection, transaction);
                await using var reader = await command.ExecuteReaderAsync(cancellation);
                return await AllAsync(reader, row, cancellation);
            }
            finally
            {
                turn?.Release();
            }
        }
    }

    private sealed class FromPool(SqlPool pool, Gathering? gathering) : Statements
    {
        public override SqlEngine Engine => pool.Engine;

        public override SourceExperience Experience => pool.Experience;

        public override Task<List<T>> RowsAsync<T>(SqlText sql, Func<DbDataReader, T> row, CancellationToken cancellation) =>
            Asked(new Gathering.Waiting<List<T>>(pool, sql, (reader, token) => AllAsync(reader, row, token), cancellation));

        public override Task<T> OneAsync<T>(
            SqlText sql,
            Overall? overall,
            Func<DbDataReader, int, T> read,
            CancellationToken cancellation
        ) =>
            Asked(
                new Gathering.Waiting<T>(
                    pool,
                    sql,
                    async (reader, token) => (await AllAsync(reader, row => read(row, 0), token))[0],
                    cancellation
                )
                {
                    Overall = overall,
                    Shared = read,
                }
            );

        public override IAsyncEnumerable<List<T>>? Parts<T>(
            SqlText sql,
            Func<DbDataReader, T> row,
            int atOnce,
            CancellationToken cancellation
        ) => pool.TakesLongReads ? PartsAsync(sql, row, atOnce, cancellation) : null;

        private async IAsyncEnumerable<List<T>> PartsAsync<T>(
            SqlText sql,
            Func<DbDataReader, T> row,
            int atOnce,
            [EnumeratorCancellation] CancellationToken cancellation
        )
        {
            var rows = new List<T>();
            await foreach (var reader in pool.LongReadAsync(sql, cancellation))
            {
                rows.Add(row(reader));
                if (rows.Count == atOnce)
                {
                    yield return rows;
                    rows = [];
                }
            }

            yield return rows;
        }

        private Task<T> Asked<T>(Gathering.Waiting<T> waiting)
        {
            if (gathering?.Add(waiting) != true)
            {
                _ = waiting.AloneAsync();
            }

            return waiting.Task;
        }
    }
}
