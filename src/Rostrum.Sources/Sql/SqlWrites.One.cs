using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>One change of one record: whether it may be, and what it comes to.</summary>
internal sealed partial class SqlWrites
{
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
}
