using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.People.Account;

/// <summary>Links with which people set a new password: valid for an hour, and once.</summary>
internal sealed class PasswordLinks(UserManager<Person> people, RostrumStore store, TimeProvider time)
{
    public static readonly TimeSpan Longest = TimeSpan.FromHours(1);
    private const int MostAnHour = 3;

    /// <summary>Sends one to an address that somebody has; not more than a few an hour.</summary>
    public async Task SendAsync(string email, string links, CancellationToken cancellation)
    {
        if (
            email.Length is 0 or > 254
            || await people.FindByEmailAsync(email) is not { DeactivatedAt: null } person
            || await store.OutgoingMails.CountAsync(
                mail => mail.Address == person.Email && mail.Subject == Subject && mail.MadeAt > time.GetUtcNow().AddHours(-1),
                cancellation
            ) >= MostAnHour
        )
        {
            return;
        }

        store.OutgoingMails.Add(
            new OutgoingMail
            {
                Address = person.Email!,
                Subject = Subject,
                Text =
                    $"Hello {person.Name},\n\nSet a new password here:\n{await LinkAsync(person, links)}\n\n"
                    + "The link is valid for an hour. If you did not ask for it, nothing need be done: your password stays as it is.\n",
                MadeAt = time.GetUtcNow(),
                Due = time.GetUtcNow(),
            }
        );
        await store.SaveChangesAsync(cancellation);
    }

    /// <summary>The link of a person.</summary>
    public async Task<string> LinkAsync(Person person, string links)
    {
        var token = await people.GeneratePasswordResetTokenAsync(person);
        return $"{links}/new-password?person={person.Id:N}&token={Uri.EscapeDataString(token)}";
    }

    private const string Subject = "A new password for Rostrum";
}
