using System.Collections.Immutable;
using System.Data.Common;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>
/// What a database does by itself where a record is deleted: the records that it deletes too, and those whose reference it empties, are
/// locked and read beforehand, so that they can be brought back with it.
/// </summary>
internal sealed partial class SqlWrites
{
    // More than these are not brought back: whoever deletes reads beforehand that it cannot be undone.
    private const int MostAlong = 2_000;

    private sealed record Followed(Dataset Dataset, Record Record);

    private sealed record Following(ImmutableArray<Followed> Deleted, ImmutableArray<Followed> Emptied)
    {
        public static Following Nothing { get; } = new([], []);
    }

    // The first ones are the nearest. Null where not all of them are known, or could not be written again.
    private async Task<Following?> FollowingAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        Record record,
        CancellationToken cancellation
    )
    {
        var (deleted, emptied) = (new Dictionary<(DatasetId, string), Followed>(), new Dictionary<(DatasetId, string), Followed>());
        deleted.Add((dataset.Id, record.Key!.ToText(dataset)), new Followed(dataset, record));
        Followed[] nearest = [.. deleted.Values];
        while (nearest.Length > 0)
        {
            var next = new List<Followed>();
            foreach (var group in nearest.GroupBy(one => one.Dataset))
            {
                if (Reached(group.Key) is not { } reached)
                {
                    return null;
                }

                foreach (var (other, relation) in reached)
                {
                    object[] values =
                    [
                        .. group.Select(one => one.Record[relation.TargetField]).Where(value => value is not (null or Unreadable))!,
                    ];
                    foreach (var found in await ReferringAsync(connection, transaction, other, relation.Field, values, cancellation))
                    {
                        if (found.Layout.Fields.Any(field => found[field] is Unreadable))
                        {
                            return null;
                        }

                        var (key, one) = ((other.Id, found.Key!.ToText(other)), new Followed(other, found));
                        if (relation.OnDelete is DeleteAction.Clear)
                        {
                            emptied.TryAdd(key, one);
                        }
                        else if (deleted.TryAdd(key, one))
                        {
                            next.Add(one);
                        }
                    }

                    if (deleted.Count + emptied.Count > MostAlong)
                    {
                        return null;
                    }
                }
            }

            nearest = [.. next];
        }

        return new Following(
            InOrderOfKeys([.. deleted.Values.Skip(1)]),
            [.. emptied.Where(pair => !deleted.ContainsKey(pair.Key)).Select(pair => pair.Value)]
        );
    }

    // Null where a column is reached of which no relation tells, or which could not be written again.
    private (Dataset Dataset, Relation Relation)[]? Reached(Dataset dataset)
    {
        if (!dataset.DeletionCascades)
        {
            return [];
        }

        var known =
            from reached in dataset.DeletionReaches
            from other in catalogue.All
            where other.Source == dataset.Source && other.IsOfTables && other.Table == reached.Table && other is { ReadOnlyBecause: null }
            from relation in other.Relations
            where relation.Target == dataset.Id && relation.OnDelete is DeleteAction.Delete or DeleteAction.Clear
            where reached.Columns is [var column] && other[relation.Field].Column == column
            select (reached, other, relation);
        var first = known.DistinctBy(one => one.reached).ToArray();
        return first.Length == 0 || first.Length < dataset.DeletionReaches.Length
            ? null
            : [.. first.Select(one => (one.other, one.relation))];
    }

    private async Task<IEnumerable<Record>> ReferringAsync(
        DbConnection connection,
        DbTransaction transaction,
        Dataset dataset,
        FieldName field,
        IReadOnlyCollection<object> values,
        CancellationToken cancellation
    )
    {
        var found = new List<Record>();
        foreach (var part in values.Distinct().Chunk(AtOnce))
        {
            string Refers(SqlText sql)
            {
                var wanted = part.Select(value => sql.Value(dataset[field], value));
                return $"t.{_engine.Quote(dataset[field].Column)} IN ({string.Join(", ", wanted)})";
            }

            found.AddRange(
                (await LockedAsync(connection, transaction, dataset, Grants.ViewEverything, Verbs.View, Refers, cancellation)).Select(one =>
                    one.Record
                )
            );
        }

        return found;
    }

    // A record follows those to which it refers, so that it can be written again when they are there.
    private static ImmutableArray<Followed> InOrderOfKeys(ImmutableArray<Followed> deleted)
    {
        var (left, ordered) = (deleted.GroupBy(one => one.Dataset).ToList(), ImmutableArray.CreateBuilder<Followed>(deleted.Length));
        while (left.Count > 0)
        {
            // Where datasets refer to each other in a ring, the nearest of them is first.
            var first = left.Find(one =>
                left.All(other => other == one || one.Key.Relations.All(relation => relation.Target != other.Key.Id))
            ) ?? left[0];
            ordered.AddRange(first);
            left.Remove(first);
        }

        return ordered.ToImmutable();
    }

    private async Task<ImmutableArray<SavedAlong>> AlongAsync(
        DbConnection connection,
        DbTransaction transaction,
        Following following,
        CancellationToken cancellation
    )
    {
        var along = ImmutableArray.CreateBuilder<SavedAlong>();
        foreach (var (dataset, record) in following.Deleted)
        {
            var change = new Change.Delete(record.Key!, record.Values(record.Layout.Fields));
            along.Add(new SavedAlong(dataset, Deleted(dataset, change, record)));
        }

        foreach (var group in following.Emptied.GroupBy(one => one.Dataset))
        {
            RecordKey[] keys = [.. group.Select(one => one.Record.Key!)];
            string Are(SqlText sql) => KeyCondition(_engine, group.Key, keys, sql, "t.");
            var after = await LockedAsync(connection, transaction, group.Key, Grants.ViewEverything, Verbs.View, Are, cancellation);
            foreach (var now in after)
            {
                var before = group.First(one => one.Record.Key!.ToText(group.Key) == now.Record.Key!.ToText(group.Key)).Record;
                FieldName[] changed = [.. before.Layout.Fields.Where(field => !FieldText.SameValue(before[field], now.Record[field]))];
                var change = new Change.Update(now.Record.Key!, before.Values(changed), now.Record.Values(changed));
                along.Add(new SavedAlong(group.Key, Written(group.Key, change, now.Record.Key!, before, now.Record)));
            }
        }

        return along.ToImmutable();
    }
}
