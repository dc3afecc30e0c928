using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Sheet;

/// <summary>A form for a new record that was sent before.</summary>
/// <param name="Form">What is known of it.</param>
/// <param name="IsOver">Its record is there; it is being added otherwise.</param>
internal sealed record SentBefore(SentForm Form, bool IsOver)
{
    /// <summary>What came of it, as it was answered then. It is not taken back from here: the first answer has that.</summary>
    public SavedChange AsSaved(Dataset dataset, Change change) =>
        new(change, RecordKey.Parse(dataset, Form.Record), Form.Title, Inverse: null);
}

/// <summary>The same form was written down by another request at that moment.</summary>
internal sealed class SentAlreadyException : Exception;

/// <summary>
/// Sees to it that a form for a new record adds one, however often it is sent: by a double click, a browser's retry, or after a node was
/// lost.
/// </summary>
internal sealed class SentForms(IDbContextFactory<RostrumStore> stores, CurrentPerson person, TimeProvider time)
{
    private static readonly TimeSpan Kept = TimeSpan.FromDays(2);

    /// <summary>What came of a form when it was sent before; null where it was not, or nothing came of it.</summary>
    public async Task<SentBefore?> FindAsync(RecordGate gate, Dataset dataset, Guid key, CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        if (
            await store.SentForms.FirstOrDefaultAsync(form => form.Key == key && form.PersonId == person.KeepsAs, cancellation)
            is not { } known
        )
        {
            return null;
        }

        var ended = await gate.CameToItsEndAsync(dataset, known.Transaction, cancellation);
        if (ended is not false)
        {
            return new SentBefore(known, IsOver: ended is true);
        }

        store.SentForms.Remove(known);
        await store.SaveChangesAsync(cancellation);
        return null;
    }

    /// <summary>Writes down that a form's record is about to be there.</summary>
    /// <exception cref="SentAlreadyException">Another request has just done so.</exception>
    public async Task KeepAsync(Guid key, Dataset dataset, BeforeEnd end)
    {
        await using var store = await stores.CreateDbContextAsync();
        var now = time.GetUtcNow();
        store.SentForms.Add(
            new SentForm
            {
                Key = key,
                PersonId = person.KeepsAs,
                Transaction = end.Transaction,
                Record = end.Key?.ToText(dataset) ?? "",
                Title = end.Title,
                At = now,
            }
        );
        try
        {
            await store.SaveChangesAsync();
        }
        catch (DbUpdateException)
        {
            throw new SentAlreadyException();
        }

        await store.SentForms.Where(form => form.At < now - Kept).ExecuteDeleteAsync();
    }
}
