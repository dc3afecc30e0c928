using System.Collections.Immutable;
using System.Data.Common;
using System.Globalization;
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

    /// <summary>Makes many changes in one transaction, each from a place to which it goes back where one cannot be made.</summary>
    public async Task<ManyResult> SaveEachAsync(
        DbConnection connection,
        Dataset dataset,
        ChangeSet changes,
        ManyChanges how,
        Func<Change, string?> unsound,
        CancellationToken cancellation
    )
    {
        await using var transaction = await connection.BeginTransactionAsync(_engine.Isolation, cancellation);
        await WaitForOthersAsync(connection, transaction, dataset, cancellation);
        var each = ImmutableArray.CreateBuilder<OneOfMany>(changes.Changes.Length);
        ImmutableArray<(Change, string?)> wanted = [.. changes.Changes.Select(change => (change, unsound(change)))];
        await EachAsync(connection, transaction, dataset, wanted, each, cancellation);
        var written = how is ManyChanges.ThosePossible || (how is ManyChanges.AllOrNone && each.All(one => one.Saved is not null));
        if (written && writing.Carry is { } carry)
        {
            return new ManyResult.Done(await CarriedAsync(dataset, each, carry), written);
        }

        if (written && (changes.BeforeEnd is not null || watch.BeforeEnd is not null))
        {
            var name = await NameAsync(connection, transaction, cancellation);
            if (changes.BeforeEnd is { } beforeEnd)
            {
                await beforeEnd(
                    new BeforeEnd(name, null, "") { Refused = [.. Enumerable.Range(0, each.Count).Where(at => each[at].Saved is null)] }
                );
            }

            if (watch.BeforeEnd is { } told)
            {
                await told([.. each.Select(one => one.Saved).OfType<SavedChange>()], name);
            }
        }

        await (written ? transaction.CommitAsync(cancellation) : transaction.RollbackAsync(cancellation));
        return new ManyResult.Done(each.ToImmutable(), written);
    }

    // All at once where nothing keeps them from it; else in parts, down to single ones where one is refused.
    private async Task EachAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        ImmutableArray<(Change Change, string? Unsound)> changes,
        ImmutableArray<OneOfMany>.Builder each,
        CancellationToken cancellation
    )
    {
        if (
            changes.All(one => one.Unsound is null)
            && await TogetherAsync(connection, transaction, dataset, [.. changes.Select(one => one.Change)], cancellation) is { } together
        )
        {
            each.AddRange(changes.Zip(together, (one, saved) => new OneOfMany(one.Change, saved, null, [])));
            return;
        }

        if (changes.Length > SmallestPart && watch.Guard is null)
        {
            var half = changes.Length / 2;
            await EachAsync(connection, transaction, dataset, changes[..half], each, cancellation);
            await EachAsync(connection, transaction, dataset, changes[half..], each, cancellation);
            return;
        }

        foreach (var (change, unsound) in changes)
        {
            await transaction.SaveAsync(Place, cancellation);
            var one = unsound is { } reason
                ? new OneOfMany(change, null, reason, [])
                : await OneOfManyAsync(connection, transaction, dataset, change, cancellation);
            if (one.Saved is null)
            {
                await transaction.RollbackAsync(Place, cancellation);
            }

            each.Add(one);
        }
    }

    private static async Task<ImmutableArray<OneOfMany>> CarriedAsync(
        Dataset dataset,
        IEnumerable<OneOfMany> each,
        Func<ImmutableArray<SavedChange>, CancellationToken, Task<(ImmutableArray<SavedChange> Made, SaveResult? Refusal)>> carry
    )
    {
        var carried = ImmutableArray.CreateBuilder<OneOfMany>();
        foreach (var one in each)
        {
            if (one.Saved is null)
            {
                carried.Add(one);
                continue;
            }

            var (made, refused) = await carry([one.Saved], CancellationToken.None);
            carried.Add(refused is null ? one with { Saved = made[0] } : one with { Saved = null, Because = Why(dataset, refused) });
        }

        return carried.ToImmutable();
    }

    private async Task<OneOfMany> OneOfManyAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        CancellationToken cancellation
    )
    {
        try
        {
            var (done, refusal) = await ApplyAsync(connection, transaction, dataset, change, [], cancellation);
            ImmutableArray<string> warnings = refusal is SaveResult.Warned warned
                ? [.. warned.Problems.Select(problem => problem.Message)]
                : [];
            if (!warnings.IsEmpty)
            {
                (done, refusal) = await ApplyAsync(connection, transaction, dataset, change, warnings, cancellation);
            }

            return new OneOfMany(change, done, refusal is null ? null : Why(dataset, refusal), warnings);
        }
        catch (DbException exception) when (_engine.IsAboutValues(exception))
        {
            // The transaction takes no question until it is back where this change began.
            await transaction.RollbackAsync(Place, cancellation);
            return new OneOfMany(
                change,
                null,
                FieldProblem.Said(
                    dataset,
                    await _engine.ExplainAsync(connection, transaction, catalogue, dataset, change, exception, cancellation)
                ),
                []
            );
        }
    }

    private static string Why(Dataset dataset, SaveResult refusal) =>
        refusal switch
        {
            SaveResult.Denied denied => denied.Reason,
            SaveResult.Invalid invalid => FieldProblem.Said(dataset, [.. invalid.Problems.Where(problem => !problem.Warns)]),
            SaveResult.Conflict { Current: null } => $"This {dataset.RecordLabel} is no longer there.",
            SaveResult.Conflict => $"This {dataset.RecordLabel} was changed meanwhile.",
            SaveResult.Failed failed => failed.Failure.Message,
            SaveResult.Uncertain => SaveResult.Uncertain.Words,
            _ => "It cannot be changed.",
        };

    private async Task<(SavedChange? Done, SaveResult? Refusal)> ApplyAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        ImmutableArray<string> seen,
        CancellationToken cancellation
    )
    {
        var before = change.Existing is { } existing
            ? await LockAsync(connection, transaction, dataset, existing, needed(change), cancellation)
            : null;
        if (change is Change.Update or Change.Delete)
        {
            // First the right: a conflict shows the record as it is, and tells whether a guess at its values was right.
            if (before is { Granted: false })
            {
                return (null, new SaveResult.Denied($"This {dataset.RecordLabel} is not among those that you may change."));
            }

            if (before is not null && FieldDenial(dataset, change, before) is { } denied)
            {
                return (null, new SaveResult.Denied(denied));
            }

            if (before is null || change.Expected.Any(pair => !FieldText.SameValue(pair.Value, before.Record[pair.Key])))
            {
                return (null, new SaveResult.Conflict(change, before is null ? null : Readable(before.Record, before.Grant)));
            }
        }

        var wanted = change;
        var stored = before?.Record.Values(before.Record.Layout.Fields);
        (change, var stopped) = await watch.AskAsync(_engine, connection, transaction, change, stored ?? FieldValues.None, cancellation);
        if (stopped is not null)
        {
            return (null, stopped);
        }

        // What is taken back has them among its values.
        if (rules is not null && change is Change.Update changed)
        {
            change = changed with { Values = FieldDefault.Renewed(dataset, changed.Values, grants.User, context) };
        }

        if (
            rules is not null
            && change is Change.Insert or Change.Update
            && await BrokenAsync(connection, transaction, dataset, change, seen, cancellation) is { } broken
        )
        {
            return (null, broken);
        }

        if (change is Change.Delete)
        {
            return (await DeleteAsync(connection, transaction, dataset, change, before!.Record, cancellation), null);
        }

        var after = await ExecuteAsync(connection, transaction, dataset, change, cancellation);

        var key = after ?? throw new InvalidOperationException("the row was locked, and yet it was not written");
        var now = await LockAsync(connection, transaction, dataset, key, needed(change), cancellation);
        if (now is not { Granted: true })
        {
            return (
                null,
                new SaveResult.Denied($"With these values the {dataset.RecordLabel} would not be among those that you may change.")
            );
        }

        if (FieldDenialAfter(dataset, wanted, now) is { } deniedAfter)
        {
            return (null, new SaveResult.Denied(deniedAfter));
        }

        if (
            rules is not null
            && Applying(dataset, change).Where(rules.OverLists.Contains).ToImmutableArray() is { IsEmpty: false } held
            && Refusal(await rules.BrokenAfterAsync(connection, transaction, dataset, [(key, held)], cancellation), seen) is { } brokenAfter
        )
        {
            return (null, brokenAfter);
        }

        return (Written(dataset, change, key, before?.Record, now.Record), null);
    }

    private async Task<SavedChange> DeleteAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        Record before,
        CancellationToken cancellation
    )
    {
        var following = dataset.DeletionCascades
            ? await FollowingAsync(connection, transaction, dataset, before, cancellation)
            : Following.Nothing;
        await ExecuteAsync(connection, transaction, dataset, change, cancellation);
        var deleted = Deleted(dataset, change, before);
        return following is null
            ? deleted with
            {
                Inverse = null,
            }
            : deleted with
            {
                Along = await AlongAsync(connection, transaction, following, cancellation),
            };
    }

    private static SavedChange Deleted(Dataset dataset, Change change, Record before) =>
        new(
            change,
            null,
            before.Title,
            before.Layout.Fields.Any(field => before[field] is Unreadable) ? null : new Change.Restore(WrittenValues(dataset, before))
        )
        {
            Before = before.Values(before.Layout.Fields),
        };

    private static SavedChange Written(Dataset dataset, Change change, RecordKey key, Record? before, Record after) =>
        new(change, key, after.Title, Inverse(dataset, change, key, before, after))
        {
            Before = before?.Values(before.Layout.Fields),
            After = after.Values(after.Layout.Fields),
        };

    private async Task<SaveResult?> BrokenAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        ImmutableArray<string> seen,
        CancellationToken cancellation
    )
    {
        var broken = change is Change.Update update
            ? await rules!.BrokenAsync(connection, transaction, dataset, update.Key, update.Values, cancellation)
            : await rules!.BrokenAsync(connection, transaction, dataset, null, ((Change.Insert)change).Values, cancellation);
        return Refusal(broken, seen);
    }

    private static SaveResult? Refusal(ImmutableArray<FieldProblem> broken, ImmutableArray<string> seen) =>
        broken.Any(problem => !problem.Warns) ? new SaveResult.Invalid(broken)
        : broken.Any(problem => !seen.Contains(problem.Message)) ? new SaveResult.Warned(broken)
        : null;

    private static Change Inverse(Dataset dataset, Change change, RecordKey key, Record? before, Record after) =>
        change switch
        {
            Change.Update update => new Change.Update(key, after.Values(update.Values.Fields), before!.Values(update.Values.Fields)),
            _ => new Change.Delete(key, new FieldValues(WrittenValues(dataset, after).Where(pair => pair.Value is not Unreadable))),
        };

    // What a record keeps a person from, where other records allow it.
    private string? FieldDenial(Dataset dataset, Change change, Locked record) =>
        _fieldsByRecord ? ChangeRights.FieldDenial(dataset, record.Grant, change, isUndo: needed == ChangeRights.NeededToUndo) : null;

    // The same of the record as it is then.
    private string? FieldDenialAfter(Dataset dataset, Change change, Locked record) =>
        (_fieldsByRecord ? change : null) switch
        {
            Change.Update update => ChangeRights.WrittenDenial(dataset, record.Grant.Writable, update.Values.Fields),
            Change.Insert insert => ChangeRights.WrittenDenial(dataset, record.Grant.WritableInNew, Typed(dataset, insert.Values)),
            _ => null,
        };

    // What its fields' defaults gave a new record is not the person's.
    private IEnumerable<FieldName> Typed(Dataset dataset, FieldValues values)
    {
        var defaults = FieldDefault.Missing(dataset, FieldValues.None, grants.User, context);
        return values.Fields.Where(field => !defaults.Has(field) || !FieldText.SameValue(defaults[field], values[field]));
    }

    private static Record Readable(Record record, Grant grant)
    {
        var fields = record.Layout.Fields.Where(field => grant.Allows(Verbs.View) && grant.Readable.Has(field)).ToArray();
        return new Record(new RecordLayout(fields, []), record.Key, [.. fields.Select(field => record[field])], record.Title, []);
    }

    private static FieldValues WrittenValues(Dataset dataset, Record record) =>
        record.Values(dataset.Fields.Where(field => field.Generation is not ColumnGeneration.Computed).Select(field => field.Name));

    /// <param name="Record">The record as it is.</param>
    /// <param name="Granted">The verb applies to it.</param>
    /// <param name="Grant">What the person may do with it.</param>
    private sealed record Locked(Record Record, bool Granted, Grant Grant);

    private async Task<Locked?> LockAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        RecordKey key,
        Verbs verb,
        CancellationToken cancellation
    ) => (await LockAsync(connection, transaction, dataset, [key], verb, cancellation)).GetValueOrDefault(key.ToText(dataset));

    // Each record of those that are there, by its key as text.
    private async Task<Dictionary<string, Locked>> LockAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        IReadOnlyList<RecordKey> keys,
        Verbs verb,
        CancellationToken cancellation
    )
    {
        string Are(SqlText sql) => KeyCondition(_engine, dataset, keys, sql, "t.");

        // A database may take keys for equal that differ in case: the only one that was asked for keeps its name.
        var named = keys.Count == 1 ? keys[0] : null;
        var found = await LockedAsync(connection, transaction, dataset, grants, verb, Are, cancellation, named);
        return found.ToDictionary(one => one.Record.Key!.ToText(dataset), StringComparer.Ordinal);
    }

    // Records are taken in the order of their keys, so that no two savers wait for each other.
    private async Task<List<Locked>> LockedAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Grants seen,
        Verbs verb,
        Func<SqlText, string> condition,
        CancellationToken cancellation,
        RecordKey? named = null
    )
    {
        var sql = new SqlText(_engine);
        var columns = new SelectedColumns(_engine);
        var plan = new SelectPlan(catalogue, seen, dataset, sql, "t", context);
        var stored = dataset.StoredFields.Select(field => field.Name).ToArray();
        var fields = stored.Select(name => columns.Add(plan.Stored(name))).ToArray();
        var title = plan.Title().Select(columns.Add).ToArray();
        var grant = seen.For(dataset.Id);
        Filter[] asked = [.. grant.ByRecord.Values.SelectMany(fields => fields.Parts).Select(part => part.Condition).Distinct()];
        string[] decided =
        [
            plan.Granted.For(plan.Row, verb) ?? "TRUE",
            .. asked.Select(condition => plan.Granted.Apart(condition, dataset, "t")),
        ];
        sql.Add(
            $"SELECT {columns.Sql}, {string.Join(", ", decided)} FROM {plan.Table()}{plan.Joins()} "
                + $"WHERE {condition(sql)} ORDER BY {KeyColumns(dataset, "t.")}{_engine.Lock("t")}"
        );
        await using var command = sql.Command(connection, transaction);
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var found = new List<Locked>();
        while (await reader.ReadAsync(cancellation))
        {
            var row = columns.Read(reader);
            bool Holds(int at) => !reader.IsDBNull(columns.Leaves.Count + at) && reader.GetBoolean(columns.Leaves.Count + at);
            var holding = asked.Where((_, at) => Holds(1 + at)).ToHashSet();
            var name = RecordFormat.Title(
                title.Select(index => format.Display(columns.Leaves[index].Field, row[index])),
                $"{dataset.RecordLabel} without a name"
            );
            object?[] values = [.. fields.Select(index => row[index])];
            var key = named ?? new RecordKey([.. dataset.Key.Select(part => values[Array.IndexOf(stored, part)]!)]);
            found.Add(new Locked(new Record(new RecordLayout(stored, []), key, values, name, []), Holds(0), grant.Of(holding.Contains)));
        }

        return found;
    }

    private string KeyColumns(Dataset dataset, string prefix) =>
        string.Join(", ", dataset.Key.Select(name => prefix + _engine.Quote(dataset[name].Column)));

    private SqlText Statement(Dataset dataset, Change change)
    {
        var sql = new SqlText(_engine);
        var table = _engine.Quote(dataset.Table);
        var key = string.Join(
            ", ",
            dataset.Key.Select(name => _engine.CodecOf(dataset[name].Type).Selected(_engine.Quote(dataset[name].Column)))
        );
        string Columns(FieldValues values) => string.Join(", ", values.Fields.Select(name => _engine.Quote(dataset[name].Column)));
        string Placeholders(FieldValues values) => string.Join(", ", values.Select(pair => sql.Value(dataset[pair.Key], pair.Value)));
        string Assignments(FieldValues values) => string.Join(", ", values.Select(Assignment));
        string Assignment(KeyValuePair<FieldName, object?> pair) =>
            $"{_engine.Quote(dataset[pair.Key].Column)} = {sql.Value(dataset[pair.Key], pair.Value)}";
        var returning = _engine.ReturnsKeys ? $" RETURNING {key}" : "";
        return change switch
        {
            Change.Insert { Values.Count: 0 } => sql.Add($"INSERT INTO {table} {_engine.NoValues}{returning}"),
            Change.Insert insert => sql.Add(
                $"INSERT INTO {table} ({Columns(insert.Values)}) VALUES ({Placeholders(insert.Values)}){returning}"
            ),
            Change.Restore restore => sql.Add(
                $"INSERT INTO {table} ({Columns(restore.Values)}){_engine.WithOwnIdentity} "
                    + $"VALUES ({Placeholders(restore.Values)}){returning}"
            ),
            Change.Update update => sql.Add(
                $"UPDATE {table} SET {Assignments(update.Values)} WHERE {KeyCondition(_engine, dataset, update.Key, sql, "")}{returning}"
            ),
            Change.Delete delete => sql.Add($"DELETE FROM {table} WHERE {KeyCondition(_engine, dataset, delete.Key, sql, "")}{returning}"),
            _ => throw new ArgumentOutOfRangeException(nameof(change), change, "unknown change"),
        };
    }

    private async Task<RecordKey?> ExecuteAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        CancellationToken cancellation
    )
    {
        await using var command = Statement(dataset, change).Command(connection, transaction);
        if (!_engine.ReturnsKeys)
        {
            await command.ExecuteNonQueryAsync(cancellation);
            return await KeyAfterAsync(connection, transaction, dataset, change, cancellation);
        }

        await using var reader = await command.ExecuteReaderAsync(cancellation);
        return await reader.ReadAsync(cancellation) ? KeyRead(reader, dataset) : null;
    }

    private RecordKey KeyRead(DbDataReader reader, Dataset dataset) =>
        new([
            .. dataset.Key.Select(
                (name, index) => _engine.Read(reader, index, dataset[name].Type) ?? throw new InvalidOperationException("a key is blank")
            ),
        ]);

    // Where the database does not give the key back: it is as written, or counted up by the database.
    private async Task<RecordKey?> KeyAfterAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change change,
        CancellationToken cancellation
    )
    {
        var (written, known) = change switch
        {
            Change.Insert insert => (insert.Values, null),
            Change.Restore restore => (restore.Values, null),
            Change.Update update => (update.Values, update.Key),
            Change.Delete delete => (FieldValues.None, (RecordKey?)delete.Key),
            _ => throw new ArgumentOutOfRangeException(nameof(change), change, "unknown change"),
        };
        var values = new List<object>();
        foreach (var (name, at) in dataset.Key.Select((name, at) => (name, at)))
        {
            values.Add(
                (written.Has(name) ? written[name] : null)
                    ?? known?.Values[at]
                    ?? await LastIdentityAsync(connection, transaction, cancellation)
            );
        }

        return new RecordKey([.. values]);
    }

    private async Task<object> LastIdentityAsync(DbConnection connection, DbTransaction transaction, CancellationToken cancellation)
    {
        await using var command = new SqlText(_engine).Add(_engine.LastIdentity!).Command(connection, transaction);
        return Convert.ToInt64(await command.ExecuteScalarAsync(cancellation), CultureInfo.InvariantCulture);
    }

    /// <summary>The condition on one record; the prefix is its table's alias and a dot.</summary>
    public static string KeyCondition(SqlEngine engine, Dataset dataset, RecordKey key, SqlText sql, string prefix) =>
        string.Join(
            " AND ",
            dataset.Key.Zip(key.Values, (name, value) =>
                $"{prefix}{engine.Quote(dataset[name].Column)} = {sql.Value(dataset[name], value)}"
            )
        );

    /// <summary>The condition on some records.</summary>
    public static string KeyCondition(SqlEngine engine, Dataset dataset, IReadOnlyList<RecordKey> keys, SqlText sql, string prefix) =>
        keys.Count == 1 ? KeyCondition(engine, dataset, keys[0], sql, prefix)
        : dataset.Key is [var only] ? OneOf(engine, dataset[only], keys, sql, prefix)
        : $"({string.Join(" OR ", keys.Select(key => $"({KeyCondition(engine, dataset, key, sql, prefix)})"))})";

    private static string OneOf(SqlEngine engine, Field field, IReadOnlyList<RecordKey> keys, SqlText sql, string prefix)
    {
        object[] values = [.. keys.Select(key => key.Values[0])];
        return engine.KeyIsIn(sql, field, prefix + engine.Quote(field.Column), values);
    }
}
