using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <content>Changes many records, each by itself.</content>
public sealed partial class RecordGate
{
    /// <summary>Changes many records, each by itself: what keeps one from being changed is said of that one.</summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="changes">The changes. What rules warn of is taken as seen.</param>
    /// <param name="how">Whether they are only tried, and what becomes of the rest where one cannot be made.</param>
    /// <param name="grants">The person's grants.</param>
    /// <param name="cancellation">Ends the wait; nothing is written then.</param>
    public Task<ManyResult> SaveEachAsync(
        DatasetCatalogue catalogue,
        ChangeSet changes,
        ManyChanges how,
        Grants grants,
        CancellationToken cancellation
    ) => WriteEachAsync(catalogue, changes, how, grants, ChangeRights.NeededFor, cancellation);

    private async Task<ManyResult> WriteEachAsync(
        DatasetCatalogue catalogue,
        ChangeSet changes,
        ManyChanges how,
        Grants grants,
        Func<Change, Verbs> needed,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(changes);
        if (catalogue.Find(changes.Dataset) is not { } dataset)
        {
            return new ManyResult.Denied("There is no such dataset.");
        }

        if (grants.ReadOnlyBecause is { } reason && how is not ManyChanges.Tried)
        {
            return new ManyResult.Denied(reason);
        }

        var (grant, context, isUndo) = (grants.For(dataset.Id), Context(null), needed == ChangeRights.NeededToUndo);
        changes = isUndo ? changes : Cleaned(dataset, changes);
        if (
            changes
                .Changes.Select(change => ChangeRights.Denial(dataset, grant, change, needed(change), isUndo))
                .FirstOrDefault(reason => reason is not null) is
            { } denial
        )
        {
            return new ManyResult.Denied(denial);
        }

        string? Unsound(Change change) =>
            Problems(dataset, change, Completed(dataset, change, grants, context), isUndo) is { IsEmpty: false } problems
                ? FieldProblem.Said(dataset, problems)
                : null;
        var watch = new Watching(this, catalogue, dataset, grants);
        var result = await AtSourceAsync<ManyResult>(
            dataset,
            changes.Changes,
            async (writing, token) =>
                await (await WritesAsync(writing, watch, changes.Changes, context, needed, token, holdsRules: !isUndo)).SaveEachAsync(
                    writing.Connection,
                    dataset,
                    changes,
                    how,
                    Unsound,
                    token
                ),
            failure => new ManyResult.Failed(failure),
            cancellation
        );
        if (result is ManyResult.Done { Written: true } done)
        {
            await watch.ToldAsync([.. done.Each.Select(one => one.Saved).OfType<SavedChange>()]);
        }

        return result;
    }
}
