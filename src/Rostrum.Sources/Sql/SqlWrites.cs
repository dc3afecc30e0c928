using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Writes a change set in one transaction: each record is locked, held against the values its edit began with, and written by its key.
/// </summary>
/// <param name="writing">Where the changes are made.</param>
/// <param name="catalogue">The datasets.</param>
/// <param name="grants">What the person may do.</param>
/// <param name="format">How values are written.</param>
/// <param name="context">The request's moment, for conditions.</param>
/// <param name="needed">The verb that a change needs.</param>
/// <param name="rules">The rules that records must keep; null where none are held against them.</param>
/// <param name="watch">Who is asked of each change, and told before the transaction ends.</param>
internal sealed partial class SqlWrites(
    Writing writing,
    DatasetCatalogue catalogue,
    Grants grants,
    RecordFormat format,
    FormulaContext context,
    Func<Change, Verbs> needed,
    SqlRules? rules,
    SaveWatch watch
)
{
    private const string Place = "one_of_many";
    private const string Beginning = "all_at_once";
    private const int SmallestPart = 16;

    private readonly SqlEngine _engine = writing.Engine;
    private readonly bool _fieldsByRecord = grants.Rights.HasFieldsByRecord;

    public async Task<SaveResult> SaveAsync(DbConnection connection, Dataset dataset, ChangeSet changes, CancellationToken cancellation)
    {
        await using var transaction = await connection.BeginTransactionAsync(_engine.Isolation, cancellation);
        await WaitForOthersAsync(connection, transaction, dataset, cancellation);
        return await SaveAsync(connection, transaction, dataset, changes, cancellation);
    }

    /// <summary>Writes sets of several datasets one after the other in one transaction: all of them, or nothing.</summary>
    /// <param name="connection">Leads to the source of all of them.</param>
    /// <param name="sets">The sets, each with what writes it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <returns>What came of each, up to the first that was refused.</returns>
    public static async Task<ImmutableArray<SaveResult>> SaveSetsAsync(
        DbConnection connection,
        IReadOnlyList<(SqlWrites Writes, Dataset Dataset, ChangeSet Changes)> sets,
        CancellationToken cancellation
    )
    {
        var engine = sets[0].Writes._engine;
        await using var transaction = await connection.BeginTransactionAsync(engine.Isolation, cancellation);
        var results = ImmutableArray.CreateBuilder<SaveResult>();
        foreach (var (writes, dataset, changes) in sets)
        {
            results.Add(await writes.WriteAsync(connection, transaction, dataset, changes, cancellation));
            if (results[^1] is not SaveResult.Saved)
            {
                return results.ToImmutable();
            }
        }

        await EndUncertainException.CommitAsync(engine, transaction);
        return results.ToImmutable();
    }

    /// <summary>Writes one change, which is decided once the record is locked.</summary>
    public async Task<SaveResult> SaveLockedAsync(
        DbConnection connection,
        Dataset dataset,
        RecordKey key,
        Func<Statements, Task<(Change? Change, SaveResult? Refusal)>> decide,
        CancellationToken cancellation
    )
    {
        await using var transaction = await connection.BeginTransactionAsync(_engine.Isolation, cancellation);
        await WaitForOthersAsync(connection, transaction, dataset, cancellation);
        await LockAsync(connection, transaction, dataset, key, Verbs.View, cancellation);
        using var turn = new SemaphoreSlim(1);
        var (change, refusal) = await decide(Statements.On(_engine, connection, transaction, turn));
        return change is null
            ? refusal!
            : await SaveAsync(connection, transaction, dataset, new ChangeSet(dataset.Id, [change]), cancellation);
    }

    private Task WaitForOthersAsync(DbConnection connection, DbTransaction transaction, Dataset dataset, CancellationToken cancellation) =>
        rules is null
            ? Task.CompletedTask
            : rules.WaitForOthersAsync(connection, transaction, dataset, watch.Guard is not null, cancellation);

    private async Task<SaveResult> SaveAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        ChangeSet changes,
        CancellationToken cancellation
    )
    {
        var result = await WriteAsync(connection, transaction, dataset, changes, cancellation);
        if (result is not SaveResult.Saved { Changes: var saved })
        {
            return result;
        }

        if (writing.Carry is { } carry)
        {
            // Where the records are elsewhere, each change goes there by itself: those before one that is refused are made.
            var (made, refused) = await carry(saved, CancellationToken.None);
            return refused is null ? new SaveResult.Saved(made)
                : made.IsEmpty ? refused
                : new SaveResult.Invalid([
                    new FieldProblem(null, $"{made.Length} of {saved.Length} changes were made. Then: {Why(dataset, refused)}"),
                ]);
        }

        await EndUncertainException.CommitAsync(_engine, transaction);
        return result;
    }

    // All is written, and nothing ended yet.
    private async Task<SaveResult> WriteAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        ChangeSet changes,
        CancellationToken cancellation
    )
    {
        var saved = ImmutableArray.CreateBuilder<SavedChange>();
        if (await TogetherAsync(connection, transaction, dataset, changes.Changes, cancellation) is { } together)
        {
            saved.AddRange(together);
        }

        foreach (var change in changes.Changes.Skip(saved.Count))
        {
            SaveResult? refusal;
            SavedChange? done;
            try
            {
                (done, refusal) = await ApplyAsync(connection, transaction, dataset, change, changes.SeenWarnings, cancellation);
            }
            catch (DbException exception) when (_engine.IsAboutValues(exception))
            {
                await transaction.RollbackAsync(cancellation);
                return new SaveResult.Invalid(
                    await _engine.ExplainAsync(connection, null, catalogue, dataset, change, exception, cancellation)
                );
            }

            if (refusal is not null || done is null)
            {
                return refusal!;
            }

            saved.Add(done);
        }

        var name = changes.BeforeEnd is null && watch.BeforeEnd is null ? "" : await NameAsync(connection, transaction, cancellation);
        if (changes.BeforeEnd is { } beforeEnd && saved is [.., var last])
        {
            await beforeEnd(new BeforeEnd(name, last.Key, last.Title));
        }

        if (watch.BeforeEnd is { } told && writing.Carry is null)
        {
            await told(saved, name);
        }

        return new SaveResult.Saved(saved.ToImmutable());
    }

    /// <summary>Whether a transaction came to its end; null where it has not ended, or the database cannot tell.</summary>
    public static async Task<bool?> CameToItsEndAsync(
        SqlEngine engine,
        DbConnection connection,
        string transaction,
        CancellationToken cancellation
    )
    {
        if (engine.TransactionStatus is not { } asked)
        {
            return null;
        }

        var sql = new SqlText(engine);
        sql.Text(transaction);
        await using var command = sql.Add(asked).Command(connection);
        return await command.ExecuteScalarAsync(cancellation) switch
        {
            "committed" => true,
            "aborted" => false,
            _ => null,
        };
    }

    // Blank where the database has no name for it: then nobody can ask later what became of it.
    private async Task<string> NameAsync(DbConnection connection, DbTransaction transaction, CancellationToken cancellation)
    {
        if (_engine.TransactionName is not { } asked)
        {
            return "";
        }

        await using var command = new SqlText(_engine).Add(asked).Command(connection, transaction);
        return (string)(await command.ExecuteScalarAsync(cancellation))!;
    }
}
