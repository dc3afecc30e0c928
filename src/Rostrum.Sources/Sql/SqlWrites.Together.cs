using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Many changes in a few statements: all records are locked in one, written in one round trip, and read and held against their rules as
/// they then are. Where anything stands in the way of one of them, nothing is done here, and each goes by itself to learn what it is.
/// </summary>
internal sealed partial class SqlWrites
{
    // Each key and each value is a parameter; databases take some tens of thousands in a statement.
    private const int AtOnce = 400;

    private async Task<ImmutableArray<SavedChange>?> TogetherAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        ImmutableArray<Change> changes,
        CancellationToken cancellation
    )
    {
        if (changes.Length < 2 || watch.Guard is not null || (dataset.DeletionCascades && changes.Any(change => change is Change.Delete)))
        {
            return null;
        }

        var keys = changes.Select(change => change.Existing).OfType<RecordKey>().Select(key => key.ToText(dataset)).ToArray();
        if (
            keys.Distinct(StringComparer.Ordinal).Count() < keys.Length
            || (rules is not null && !changes.All(change => Applying(dataset, change).All(rules.CanHoldTogether(dataset))))
        )
        {
            return null;
        }

        await transaction.SaveAsync(Beginning, cancellation);
        var saved = ImmutableArray.CreateBuilder<SavedChange>(changes.Length);
        try
        {
            foreach (var part in changes.Chunk(AtOnce))
            {
                if (await PartAsync(connection, transaction, dataset, part, cancellation) is not { } written)
                {
                    await transaction.RollbackAsync(Beginning, cancellation);
                    return null;
                }

                saved.AddRange(written);
            }

            if (rules is not null && await AreBrokenAsync(connection, transaction, dataset, saved, cancellation))
            {
                await transaction.RollbackAsync(Beginning, cancellation);
                return null;
            }
        }
        catch (DbException exception) when (_engine.IsAboutValues(exception))
        {
            await transaction.RollbackAsync(Beginning, cancellation);
            return null;
        }

        return saved.ToImmutable();
    }

    private static IEnumerable<Rule> Applying(Dataset dataset, Change change) =>
        change switch
        {
            Change.Insert insert => dataset.Rules.Where(rule => rule.AppliesTo(true, insert.Values)),
            Change.Update update => dataset.Rules.Where(rule => rule.AppliesTo(false, update.Values)),
            _ => [],
        };

    // Null where one is not as its edit began, is not the person's, or does not come back.
    private async Task<IEnumerable<SavedChange>?> PartAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change[] changes,
        CancellationToken cancellation
    )
    {
        var before = await LockEachAsync(
            connection,
            transaction,
            dataset,
            changes,
            [.. changes.Select(change => change.Existing)],
            cancellation
        );
        foreach (var (change, record) in changes.Zip(before).Where(pair => pair.First is Change.Update or Change.Delete))
        {
            if (
                record is not { Granted: true }
                || FieldDenial(dataset, change, record) is not null
                || change.Expected.Any(pair => !FieldText.SameValue(pair.Value, record.Record[pair.Key]))
            )
            {
                return null;
            }
        }

        Change[] renewed =
        [
            .. changes.Select(change =>
                rules is not null && change is Change.Update update
                    ? update with
                    {
                        Values = FieldDefault.Renewed(dataset, update.Values, grants.User, context),
                    }
                    : change
            ),
        ];
        var written = await ExecuteAsync(connection, transaction, dataset, renewed, cancellation);
        if (written.Any(key => key is null))
        {
            return null;
        }

        RecordKey?[] left = [.. renewed.Zip(written, (change, key) => change is Change.Delete ? null : key)];
        var after = await LockEachAsync(connection, transaction, dataset, renewed, left, cancellation);
        return changes
            .Zip(after)
            .Any(pair =>
                pair.First is not Change.Delete
                && (pair.Second is not { Granted: true } now || FieldDenialAfter(dataset, pair.First, now) is not null)
            )
            ? null
            : renewed.Select(
                (change, at) =>
                    change is Change.Delete
                        ? Deleted(dataset, change, before[at]!.Record)
                        : Written(dataset, change, written[at]!, before[at]?.Record, after[at]!.Record)
            );
    }

    // The record of each change, in their order; null where it has none. Conditions differ by verb, so that each verb is asked by itself.
    private async Task<Locked?[]> LockEachAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change[] changes,
        RecordKey?[] keys,
        CancellationToken cancellation
    )
    {
        var locked = new Locked?[changes.Length];
        var wanted = keys.Select((key, at) => (Key: key, Verb: needed(changes[at]), At: at)).Where(one => one.Key is not null);
        foreach (var group in wanted.GroupBy(one => one.Verb))
        {
            var found = await LockAsync(connection, transaction, dataset, [.. group.Select(one => one.Key!)], group.Key, cancellation);
            foreach (var (key, _, at) in group)
            {
                locked[at] = found.GetValueOrDefault(key!.ToText(dataset));
            }
        }

        return locked;
    }

    // The key of each record that was written; null where none was.
    private async Task<RecordKey?[]> ExecuteAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Change[] changes,
        CancellationToken cancellation
    )
    {
        var keys = new RecordKey?[changes.Length];
        if (!_engine.CanBatch || !_engine.ReturnsKeys)
        {
            for (var at = 0; at < changes.Length; at++)
            {
                keys[at] = await ExecuteAsync(connection, transaction, dataset, changes[at], cancellation);
            }

            return keys;
        }

        await using var batch = connection.CreateBatch();
        batch.Transaction = transaction;
        foreach (var change in changes)
        {
            Statement(dataset, change).AddTo(batch);
        }

        await using var reader = await batch.ExecuteReaderAsync(cancellation);
        for (var at = 0; at < changes.Length; at++)
        {
            keys[at] = await reader.ReadAsync(cancellation) ? KeyRead(reader, dataset) : null;
            await reader.NextResultAsync(cancellation);
        }

        return keys;
    }

    private async Task<bool> AreBrokenAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        IEnumerable<SavedChange> saved,
        CancellationToken cancellation
    )
    {
        var held = saved
            .Select(one => (one.Key, Rules: Applying(dataset, one.Applied).ToImmutableArray()))
            .Where(one => !one.Rules.IsEmpty);
        foreach (var part in held.Chunk(AtOnce))
        {
            (RecordKey, ImmutableArray<Rule>)[] records = [.. part.Select(one => (one.Key!, one.Rules))];
            if (!(await rules!.BrokenAfterAsync(connection, transaction, dataset, records, cancellation)).IsEmpty)
            {
                return true;
            }
        }

        return false;
    }
}
