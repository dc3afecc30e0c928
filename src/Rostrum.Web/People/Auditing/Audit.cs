using Rostrum.Store;

namespace Rostrum.Web.People.Auditing;

/// <summary>Writes down what somebody did that changes nothing in the store: what does, the store sees by itself.</summary>
internal sealed class Audit(RostrumStore store, CurrentPerson person, TimeProvider time)
{
    /// <summary>Writes an entry.</summary>
    /// <param name="kind">What it is about.</param>
    /// <param name="subject">To what it was done.</param>
    /// <param name="text">What was done, in a sentence without who did it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task WriteAsync(AuditKind kind, string subject, string text, CancellationToken cancellation)
    {
        store.AuditEntries.Add(
            new AuditEntry
            {
                At = time.GetUtcNow(),
                PersonId = person.Id,
                PersonName = await person.NameAsync(cancellation),
                Kind = kind,
                Subject = subject,
                Text = text,
            }
        );
        await store.SaveChangesAsync(cancellation);
    }
}
