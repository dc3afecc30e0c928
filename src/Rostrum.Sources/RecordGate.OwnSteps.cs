using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <content>Tries changes that steps of a workflow are to make in the place of the source.</content>
public sealed partial class RecordGate
{
    /// <summary>
    /// What would come of changes whose saving steps do in the place of the source. Where the source could write them, they are tried
    /// there. Where it cannot (the rows of a query, say), rights, types and what was changed meanwhile are held against what can be read.
    /// </summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="changes">The changes.</param>
    /// <param name="grants">The person's grants.</param>
    /// <param name="cancellation">Ends the wait; nothing is written in any case.</param>
    public async Task<ManyResult> TryForStepsAsync(
        DatasetCatalogue catalogue,
        ChangeSet changes,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(changes);
        ArgumentNullException.ThrowIfNull(grants);
        if (catalogue.Find(changes.Dataset) is not { ReadOnlyBecause: not null, GoneBecause: null } dataset)
        {
            return await SaveEachAsync(catalogue, changes, ManyChanges.Tried, grants, cancellation);
        }

        var (grant, context) = (grants.For(dataset.Id), Context(null));
        var writable = dataset with { ReadOnlyBecause = null, Takes = Verbs.All };
        if (
            changes
                .Changes.Select(change => ChangeRights.Denial(writable, grant, change, ChangeRights.NeededFor(change), isUndo: false))
                .FirstOrDefault(reason => reason is not null) is
            { } denial
        )
        {
            return new ManyResult.Denied(denial);
        }

        RecordKey[] keys = [.. changes.Changes.Select(change => change.Existing).OfType<RecordKey>().Distinct()];
        var request = ReadRequest.Of(dataset, keys) with
        {
            Fields = [.. dataset.Fields.Select(field => field.Name).Where(grant.Readable.Has)],
        };
        var there = new Dictionary<RecordKey, Record>();
        if (keys.Length > 0)
        {
            switch (await ReadAsync(catalogue, request, grants, cancellation))
            {
                case ReadResult.Rows rows:
                    there = rows.Records.Where(record => record.Key is not null).ToDictionary(record => record.Key!);
                    break;
                case ReadResult.Failed failed:
                    return new ManyResult.Failed(failed.Failure);
                case var refused:
                    return new ManyResult.Denied(refused is ReadResult.Denied { Reason: var reason } ? reason : "They cannot be read.");
            }
        }

        var allowed = new Dictionary<Verbs, IReadOnlySet<RecordKey>>();
        foreach (var verb in new[] { Verbs.Update, Verbs.Delete })
        {
            allowed[verb] = await AllowedAsync(catalogue, dataset, keys, verb, grants, cancellation);
        }

        var grantOf = await GrantsOfAsync(catalogue, dataset, keys, grants, cancellation);
        return new ManyResult.Done([.. changes.Changes.Select(Tried)], Written: false);

        OneOfMany Tried(Change change)
        {
            var record = change.Existing is { } key ? there.GetValueOrDefault(key) : null;
            var because = Because(change, record);
            return new OneOfMany(change, because is null ? Saved(change, record) : null, because, []);
        }

        string? Because(Change change, Record? record)
        {
            if (ChangeChecks.Problems(dataset, change, Completed(dataset, change, grants, context)) is { IsEmpty: false } problems)
            {
                return FieldProblem.Said(dataset, problems);
            }

            if (change.Existing is not { } key)
            {
                return null;
            }

            return record is null ? $"This {dataset.RecordLabel} is no longer there."
                : !allowed[ChangeRights.NeededFor(change)].Contains(key)
                    ? $"This {dataset.RecordLabel} is not among those that you may change."
                : ChangeRights.FieldDenial(dataset, grantOf(key), change, isUndo: false) is { } denied ? denied
                : change.Expected.Any(pair => !FieldText.SameValue(pair.Value, record[pair.Key]))
                    ? $"This {dataset.RecordLabel} was changed meanwhile."
                : null;
        }

        static SavedChange Saved(Change change, Record? record)
        {
            var before = record?.Values(record.Layout.Fields);
            var written = (change as Change.Update)?.Values ?? (change as Change.Insert)?.Values ?? FieldValues.None;
            return new SavedChange(change, record?.Key, record?.Title ?? "", null)
            {
                Before = before,
                After =
                    change is Change.Delete
                        ? null
                        : written.Aggregate(before ?? FieldValues.None, (all, pair) => all.With(pair.Key, pair.Value)),
            };
        }
    }
}
