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
    public Task<Guid?> KeepAsync(
        Guid person,
        Dataset dataset,
        IReadOnlyList<SavedChange> changes,
        string said,
        CancellationToken cancellation
    ) => KeepAsync(person, [.. changes.Select(change => (dataset, change))], said, cancellation);

    /// <summary>The same for changes of several datasets.</summary>
    public async Task<Guid?> KeepAsync(
        Guid person,
        IReadOnlyList<(Dataset Dataset, SavedChange Change)> changes,
        string said,
        CancellationToken cancellation
    )
    {
        if (changes.Count == 0 || changes.Any(saved => saved.Change.Inverse is null))
        {
            return null;
        }

        try
        {
            return await KeepInverseAsync(person, changes, said, cancellation);
        }
        catch (Exception exception) when (exception is DbUpdateException or DbException or InvalidOperationException or TimeoutException)
        {
            LogNotKept(exception);
            return null;
        }
    }

    private async Task<Guid> KeepInverseAsync(
        Guid person,
        IReadOnlyList<(Dataset Dataset, SavedChange Change)> changes,
        string said,
        CancellationToken cancellation
    )
    {
        var (now, home) = (time.GetUtcNow(), changes[0].Dataset);
        await store.Undos.Where(entry => entry.At < now - Kept).ExecuteDeleteAsync(cancellation);
        var entry = new UndoEntry
        {
            Id = Guid.NewGuid(),
            PersonId = person,
            DatasetId = home.Id.Value,
            Inverse = ChangeText.Write(home, changes.Reverse().SelectMany(saved => saved.Change.Inverses(saved.Dataset))),
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
    public async Task<(SaveResult Result, string Said, ImmutableArray<DatasetId> Datasets)?> UndoAsync(
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
            || ChangeText.Read(catalogue, dataset, entry.Inverse) is not { } inverses
        )
        {
            return null;
        }

        var result = await gate.UndoAsync(catalogue, inverses, grants, cancellation);
        if (result is SaveResult.Saved)
        {
            entry.UsedAt = time.GetUtcNow();
            await store.SaveChangesAsync(cancellation);
        }

        return (result, entry.Said, [.. inverses.Select(inverse => inverse.Dataset).Distinct()]);
    }

    [LoggerMessage(Level = LogLevel.Error, Message = "A change was saved, and what takes it back could not be kept")]
    private partial void LogNotKept(Exception exception);
}
