using System.Collections.Immutable;
using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Live;

/// <summary>Keeps what takes a change back, for the person who made it, for a day.</summary>
internal sealed partial class Undoing(RostrumStore store, RecordGate gate, TimeProvider time, ILogger<Undoing> log)
{
    private static readonly TimeSpan Kept = TimeSpan.FromDays(1);

    /// <summary>Keeps the inverse of saved changes, the last to be taken back first; null where one of them has none.</summary>
    /// <remarks>It follows a save. Nothing that goes wrong here may make that look as if it had not been: there is nothing to take it back
    /// with then.</remarks>
    public async Task<Guid?> KeepAsync(
        Guid person,
        Dataset dataset,
        IReadOnlyList<SavedChange> changes,
        string said,
        CancellationToken cancellation
    )
    {
        if (changes.Count == 0 || changes.Any(change => change.Inverse is null))
        {
            return null;
        }

        try
        {
            return await KeepInverseAsync(person, dataset, changes, said, cancellation);
        }
        catch (Exception exception) when (exception is DbUpdateException or DbException or InvalidOperationException or TimeoutException)
        {
            LogNotKept(exception);
            return null;
        }
    }

    private async Task<Guid> KeepInverseAsync(
        Guid person,
        Dataset dataset,
        IReadOnlyList<SavedChange> changes,
        string said,
        CancellationToken cancellation
    )
    {
        var now = time.GetUtcNow();
        await store.Undos.Where(entry => entry.At < now - Kept).ExecuteDeleteAsync(cancellation);
        var entry = new UndoEntry
        {
            Id = Guid.NewGuid(),
            PersonId = person,
            DatasetId = dataset.Id.Value,
            Inverse = string.Join('\n', changes.Reverse().Select(change => ChangeText.Write(dataset, change.Inverse!))),
            Said = said,
            At = now,
        };
        store.Undos.Add(entry);
        await store.SaveChangesAsync(cancellation);
        return entry.Id;
    }

    /// <summary>
    /// Takes a change back. Null where there is nothing to take back: it is another person's, too old, or taken back already.
    /// </summary>
    public async Task<(SaveResult Result, string Said, DatasetId Dataset)?> UndoAsync(
        Guid id,
        Guid person,
        DatasetCatalogue catalogue,
        Grants grants,
        CancellationToken cancellation
    )
    {
        var entry = await store.Undos.FirstOrDefaultAsync(
            row => row.Id == id && row.PersonId == person && row.UsedAt == null,
            cancellation
        );
        if (
            entry is null
            || catalogue.Find(new DatasetId(entry.DatasetId)) is not { } dataset
            || entry.Inverse.Split('\n').Select(text => ChangeText.Read(dataset, text)).ToArray() is not { } inverse
            || inverse.Any(change => change is null)
        )
        {
            return null;
        }

        var result = await gate.UndoAsync(catalogue, new ChangeSet(dataset.Id, [.. inverse.OfType<Change>()]), grants, cancellation);
        if (result is SaveResult.Saved)
        {
            entry.UsedAt = time.GetUtcNow();
            await store.SaveChangesAsync(cancellation);
        }

        return (result, entry.Said, dataset.Id);
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "A change was saved, and what takes it back could not be kept")]
    private partial void LogNotKept(Exception exception);
}
