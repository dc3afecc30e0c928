using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <content>Changes one record by what is decided over it while it is locked.</content>
public sealed partial class RecordGate
{
    /// <summary>
    /// Changes or deletes one record as it is at that moment: it is locked, then it is decided what becomes of it, and that is written
    /// before anybody else can change it.
    /// </summary>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="id">The dataset.</param>
    /// <param name="key">Names the record.</param>
    /// <param name="decide">Decides, by what it reads through the gate that it is given. That gate ends with the decision.</param>
    /// <param name="grants">The person's grants.</param>
    /// <param name="cancellation">Ends the wait; nothing is written then.</param>
    public async Task<SaveResult> SaveLockedAsync(
        DatasetCatalogue catalogue,
        DatasetId id,
        RecordKey key,
        Func<RecordGate, CancellationToken, Task<Decided>> decide,
        Grants grants,
        CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(decide);
        if (catalogue.Find(id) is not { } dataset)
        {
            return new SaveResult.Denied("There is no such dataset.");
        }

        if (grants.ReadOnlyBecause is { } reason)
        {
            return new SaveResult.Denied(reason);
        }

        var context = Context(null);
        var watch = new Watching(this, catalogue, dataset, grants);
        var saved = await AtSourceAsync<SaveResult>(
            dataset,
            [new Change.Update(key, FieldValues.None, FieldValues.None)],
            async (writing, token) =>
                await (await WritesAsync(writing, watch, null, context, ChangeRights.NeededFor, token)).SaveLockedAsync(
                    writing.Connection,
                    dataset,
                    key,
                    async statements =>
                        await decide(new RecordGate(this, dataset.Source, statements), token) switch
                        {
                            Decided.Write { Change: var change } => Refusal(
                                dataset,
                                change,
                                grants,
                                context,
                                ChangeRights.NeededFor,
                                isUndo: false
                            )
                                is { } refusal
                                ? (null, refusal)
                                : (Cleaned(dataset, change), null),
                            Decided.Not { Reason: var because } => (null, new SaveResult.Denied(because)),
                            _ => throw new InvalidOperationException("unknown decision"),
                        },
                    token
                ),
            NotSaved,
            cancellation
        );
        return await watch.ToldAsync(saved);
    }
}
