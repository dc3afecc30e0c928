using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <content>Takes back what was saved.</content>
public sealed partial class RecordGate
{
    /// <summary>Takes back changes of many records, each by itself.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="inverse">What takes the changes back.</param>
    /// <param name="how">What becomes of the rest where one cannot be taken back.</param>
    /// <param name="grants">The person's grants as they are now.</param>
    /// <param name="cancellation">Ends the wait; nothing is written then.</param>
    public Task<ManyResult> UndoEachAsync(
        DatasetCatalogue catalogue,
        ChangeSet inverse,
        ManyChanges how,
        Grants grants,
        CancellationToken cancellation
    ) => WriteEachAsync(catalogue, inverse, how, grants, ChangeRights.NeededToUndo, cancellation);

    /// <summary>Takes back a change that the person made: allowed to whoever may still do what is taken back.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="inverse">What takes the change back.</param>
    /// <param name="grants">The person's grants as they are now.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public Task<SaveResult> UndoAsync(DatasetCatalogue catalogue, ChangeSet inverse, Grants grants, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(inverse);
        return WriteAsync(catalogue, inverse, grants, ChangeRights.NeededToUndo, cancellation);
    }

    /// <summary>
    /// Takes back changes of several datasets, in their order: all of them or nothing where they are of one source. Where they are of
    /// several, those of each source are taken back together, after all others were tried.
    /// </summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="inverses">What takes the changes back.</param>
    /// <param name="grants">The person's grants as they are now.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<SaveResult> UndoAsync(
        DatasetCatalogue catalogue,
        ImmutableArray<ChangeSet> inverses,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (inverses is [{ WentAlong: false } only])
        {
            return await UndoAsync(catalogue, only, grants, cancellation);
        }

        var bySource = inverses.GroupBy(set => catalogue.Find(set.Dataset)?.Source).ToArray();
        foreach (var later in bySource.Skip(1).SelectMany(sets => sets).Where(set => !set.WentAlong))
        {
            if (await TriedAsync(catalogue, later, grants, cancellation) is { } refusal)
            {
                return refusal;
            }
        }

        var saved = ImmutableArray.CreateBuilder<SavedChange>();
        foreach (var sets in bySource)
        {
            var result = await UndoInSourceAsync(catalogue, [.. sets], grants, cancellation);
            if (result is not SaveResult.Saved done)
            {
                return saved.Count == 0 ? result : HalfUndone(saved.Count, inverses.Sum(set => set.Changes.Length));
            }

            saved.AddRange(done.Changes);
        }

        return new SaveResult.Saved(saved.ToImmutable());
    }

    private static SaveResult.Invalid HalfUndone(int done, int all) =>
        new([new FieldProblem(null, $"{done} of {all} changes were undone: the others are in another source, which refused them.")]);

    private async Task<SaveResult?> TriedAsync(
        DatasetCatalogue catalogue,
        ChangeSet inverse,
        Grants grants,
        CancellationToken cancellation
    ) =>
        await UndoEachAsync(catalogue, inverse, ManyChanges.Tried, grants, cancellation) switch
        {
            ManyResult.Denied denied => new SaveResult.Denied(denied.Reason),
            ManyResult.Failed failed => new SaveResult.Failed(failed.Failure),
            ManyResult.Done done when done.Each.FirstOrDefault(one => one.Because is not null) is { Because: { } because } =>
                new SaveResult.Invalid([new FieldProblem(null, because)]),
            _ => null,
        };

    private async Task<SaveResult> UndoInSourceAsync(
        DatasetCatalogue catalogue,
        ImmutableArray<ChangeSet> inverses,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (grants.ReadOnlyBecause is { } readOnly)
        {
            return new SaveResult.Denied(readOnly);
        }

        var watched = new List<(Watching Watch, ChangeSet Inverse)>();
        var context = Context(null);
        foreach (var inverse in inverses)
        {
            if (catalogue.Find(inverse.Dataset) is not { } dataset)
            {
                return new SaveResult.Denied("There is no such dataset.");
            }

            var allowed = inverse.WentAlong ? new Grants(Rights.Everywhere(Grant.Everything), grants.User) : grants;
            var refusal = inverse
                .Changes.Select(change => Refusal(dataset, change, allowed, context, ChangeRights.NeededToUndo, isUndo: true))
                .FirstOrDefault(refusal => refusal is not null);
            if (refusal is not null)
            {
                return refusal;
            }

            watched.Add((new Watching(this, catalogue, dataset, allowed), inverse));
        }

        var home = watched[0].Watch.Dataset;
        var results = await AtSourceAsync<ImmutableArray<SaveResult>>(
            home,
            [.. inverses[0].Changes],
            async (writing, token) =>
            {
                if (writing.Carry is not null)
                {
                    return [new SaveResult.Denied("Changes of several datasets of this source cannot be undone together.")];
                }

                var sets = new List<(SqlWrites, Dataset, ChangeSet)>();
                foreach (var (watch, inverse) in watched)
                {
                    var writes = await WritesAsync(
                        writing,
                        watch,
                        inverse.Changes,
                        context,
                        ChangeRights.NeededToUndo,
                        token,
                        holdsRules: false
                    );
                    sets.Add((writes, watch.Dataset, inverse));
                }

                return await SqlWrites.SaveSetsAsync(writing.Connection, sets, token);
            },
            failure => [NotSaved(failure)],
            cancellation
        );
        if (results.FirstOrDefault(result => result is not SaveResult.Saved) is { } refused)
        {
            return refused;
        }

        foreach (var ((watch, _), result) in watched.Zip(results))
        {
            await watch.ToldAsync(result);
        }

        return new SaveResult.Saved([.. results.OfType<SaveResult.Saved>().SelectMany(result => result.Changes)]);
    }
}
