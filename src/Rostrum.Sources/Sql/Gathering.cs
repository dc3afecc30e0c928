using System.Data.Common;
using System.Diagnostics;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Statements that are wanted at the same moment go to their source in one round trip. While it is held, they wait for each other.
/// </summary>
/// <remarks>
/// The answers' readers may want more at once (a count, what belongs to the rows): that goes together again. A statement that
/// was slow before takes a connection of its own, so that the others do not wait for it; and where one fails, each of the
/// others is carried out by itself.
/// </remarks>
internal sealed class Gathering
{
    private static readonly TimeSpan Slow = TimeSpan.FromMilliseconds(30);

    private readonly Lock _turn = new();
    private List<Waiting> _waiting = [];
    private int _holds;

    /// <summary>Lets a statement wait for the others; false where nothing holds them, and it need not wait.</summary>
    public bool Add(Waiting statement)
    {
        lock (_turn)
        {
            if (_holds == 0 || !statement.Pool.Engine.CanBatch || IsSlow(statement))
            {
                return false;
            }

            _waiting.Add(statement);
            return true;
        }
    }

    public void Hold()
    {
        lock (_turn)
        {
            _holds++;
        }
    }

    public void Release()
    {
        List<Waiting> ready;
        lock (_turn)
        {
            if (--_holds > 0 || _waiting.Count == 0)
            {
                return;
            }

            (ready, _waiting) = (_waiting, []);
        }

        foreach (var of in ready.GroupBy(statement => statement.Pool))
        {
            _ = TogetherAsync(of.Key, [.. SharedLook.Of([.. of])]);
        }
    }

    public static bool IsSlow(Waiting statement) => statement.Pool.Experience.SlowStatements.Has(statement.Text);

    // A busy machine makes every statement slow now and then. So what it took is forgotten little by little, until the statement is tried
    // with the others again.
    private static void Remember(Waiting statement, TimeSpan took)
    {
        var slow = statement.Pool.Experience.SlowStatements;
        if (slow.TryGet(statement.Text, out var before))
        {
            took = took < before * 0.9 ? took : before * 0.9;
        }

        if (took <= Slow)
        {
            slow.Forget(statement.Text);
        }
        else
        {
            slow.Keep(statement.Text, took);
        }
    }

    // Never fails itself: whatever goes wrong is the statements'.
    private async Task TogetherAsync(SqlPool pool, Waiting[] statements)
    {
        var read = 0;
        var began = Stopwatch.GetTimestamp();
        (Waiting Statement, Exception Exception)? failed = null;
        if (statements.Length > 1 || statements[0] is SharedLook)
        {
            var tables = statements.Select(statement => statement.Table).OfType<string>();
            try
            {
                using var turn = await pool.Turns.TryTakeAsync(tables, statements[0].Cancellation);
                if (turn is not null)
                {
                    await BatchAsync();
                }
            }
            catch (Exception exception) when (IsWaitedFor(pool.Engine, exception) && read < statements.Length)
            {
                // Nobody waits a second time for what was waited for already.
                Remember(statements[read], Stopwatch.GetElapsedTime(began));
                failed = (statements[read], exception);
            }
            catch (Exception exception) when (exception is not OutOfMemoryException)
            {
                // Whose fault it was shows when each goes by itself.
            }
        }

        Hold();
        foreach (var statement in statements[..read])
        {
            statement.Give();
        }

        failed?.Statement.Fail(failed.Value.Exception);
        foreach (var statement in statements[read..].Where(statement => statement != failed?.Statement))
        {
            _ = statement.AloneAsync();
        }

        Release();

        async Task BatchAsync()
        {
            var cancellation = statements[0].Cancellation;
            await using var connection = await pool.OpenConnectionAsync(cancellation);
            await using var batch = connection.CreateBatch();
            foreach (var statement in statements)
            {
                statement.Sql.AddTo(batch);
            }

            began = Stopwatch.GetTimestamp();
            await using var reader = await batch.ExecuteReaderAsync(cancellation);
            while (read < statements.Length)
            {
                await statements[read].ReadAsync(reader);
                Remember(statements[read], Stopwatch.GetElapsedTime(began));
                read++;
                began = Stopwatch.GetTimestamp();
                await reader.NextResultAsync(cancellation);
            }
        }
    }

    // It ran out of time, or nobody waits any longer.
    private static bool IsWaitedFor(SqlEngine engine, Exception exception) =>
        exception is OperationCanceledException or TimeoutException || engine.IsTimeout(exception);

    /// <summary>A statement that is to be carried out.</summary>
    internal abstract class Waiting(SqlPool pool, SqlText sql, CancellationToken cancellation)
    {
        public SqlPool Pool => pool;

        public SqlText Sql => sql;

        public string Text { get; } = sql.ToString();

        /// <summary>The table that it reads first.</summary>
        public string? Table => sql.Table;

        public CancellationToken Cancellation => cancellation;

        /// <summary>Its parts, where it may share a look at its table with others.</summary>
        public Overall? Overall { get; init; }

        /// <summary>Reads its answer.</summary>
        public abstract Task ReadAsync(DbDataReader reader);

        /// <summary>Reads its answer from the row of a shared look, where it begins at a column.</summary>
        public abstract void ReadShared(DbDataReader reader, int at);

        /// <summary>Gives the answer to whoever waits.</summary>
        public abstract void Give();

        /// <summary>Tells whoever waits that it failed.</summary>
        public abstract void Fail(Exception exception);

        /// <summary>Carries it out by itself, and gives the answer. What goes wrong is for whoever waits.</summary>
        public abstract Task AloneAsync();
    }

    /// <inheritdoc/>
    internal sealed class Waiting<T>(
        SqlPool pool,
        SqlText sql,
        Func<DbDataReader, CancellationToken, Task<T>> read,
        CancellationToken cancellation
    ) : Waiting(pool, sql, cancellation)
    {
        // Whoever waits goes on at once, within the hold: what it wants next goes together with what the others want.
        private readonly TaskCompletionSource<T> _answer = new();
        private T? _read;

        public Task<T> Task => _answer.Task;

        public Func<DbDataReader, int, T>? Shared { get; init; }

        public override void ReadShared(DbDataReader reader, int at) => _read = Shared!(reader, at);

        public override async Task ReadAsync(DbDataReader reader) => _read = await read(reader, Cancellation);

        public override void Give() => _answer.SetResult(_read!);

        public override void Fail(Exception exception) => _answer.SetException(exception);

        public override async Task AloneAsync()
        {
            try
            {
                _read = await AnswerAsync();
            }
            catch (Exception exception) when (exception is not OutOfMemoryException)
            {
                Fail(exception);
                return;
            }

            Give();
        }

        private async Task<T> AnswerAsync()
        {
            using var turn = await Pool.Turns.TakeAsync(Table, Cancellation);
            await using var connection = await Pool.OpenConnectionAsync(Cancellation);
            await using var command = Sql.Command(connection);
            var began = Stopwatch.GetTimestamp();
            await using var reader = await command.ExecuteReaderAsync(Cancellation);
            var answer = await read(reader, Cancellation);
            Remember(this, Stopwatch.GetElapsedTime(began));
            return answer;
        }
    }
}
