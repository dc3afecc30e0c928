using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People.Mail;

/// <summary>Tells people by mail what changed about how they sign in, so that they notice where it was not them.</summary>
internal sealed class AccountNotices(RostrumStore store, MailSettings mail, RecordFormat format, TimeProvider time)
{
    /// <summary>Sends a notice where there is a way to.</summary>
    /// <param name="person">Whose account it is.</param>
    /// <param name="what">What happened, as a sentence.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task TellAsync(Person person, string what, CancellationToken cancellation)
    {
        if (mail.Server is null || person.Email is not { Length: > 0 } address)
        {
            return;
        }

        var now = time.GetUtcNow();
        store.OutgoingMails.Add(
            new OutgoingMail
            {
                Address = address,
                Subject = "Your account in Rostrum was changed",
                Text =
                    $"Hello {person.Name},\n\n{what} That was on {format.Display(new FieldType.Instant(), now)}.\n\n"
                    + "If it was not you, tell an owner of your workspace at once.\n",
                MadeAt = now,
                Due = now,
            }
        );
        await store.SaveChangesAsync(cancellation);
    }
}
