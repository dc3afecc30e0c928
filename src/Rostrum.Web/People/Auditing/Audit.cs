using Rostrum.Store;

namespace Rostrum.Web.People.Auditing;

/// <summary>Writes down who did what. An entry is saved with what it tells of, in one transaction.</summary>
internal sealed class Audit(RostrumStore store, CurrentPerson person, TimeProvider time)
{
    /// <summary>Adds an entry to what is saved next.</summary>
    /// <param name="kind">What it is about.</param>
    /// <param name="subject">To what it was done.</param>
    /// <param name="text">What was done, in a sentence without who did it.</param>
    /// <param name="detail">What came of it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async ValueTask AddAsync(
        AuditKind kind,
        string subject,
        string text,
        IEnumerable<string>? detail = null,
        CancellationToken cancellation = default
    ) =>
        store.AuditEntries.Add(
            new AuditEntry
            {
                At = time.GetUtcNow(),
                PersonId = person.Id,
                PersonName = await person.NameAsync(cancellation),
                Kind = kind,
                Subject = subject,
                Text = text,
                Detail = string.Join('\n', detail ?? []),
            }
        );

    /// <summary>Writes an entry at once, where nothing else is saved.</summary>
    public async Task WriteAsync(AuditKind kind, string subject, string text, CancellationToken cancellation)
    {
        await AddAsync(kind, subject, text, cancellation: cancellation);
        await store.SaveChangesAsync(cancellation);
    }
}
