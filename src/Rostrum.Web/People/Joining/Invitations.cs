using Microsoft.EntityFrameworkCore;
using Rostrum.Store;
using Rostrum.Web.People.Mail;
using Rostrum.Web.Security;

namespace Rostrum.Web.People.Joining;

/// <summary>Asks people to join, and knows an invitation by the token of its link.</summary>
internal sealed class Invitations(RostrumStore store, MailSettings mail, TimeProvider time)
{
    /// <summary>So long a link is valid.</summary>
    public static readonly TimeSpan Longest = TimeSpan.FromDays(7);

    /// <summary>Makes an invitation and its mail; gives the link. They are kept by what saves next.</summary>
    public string Add(string email, string? name, IEnumerable<string> roles, IEnumerable<string> groups, Inviter by)
    {
        var (token, digest) = LinkToken.Make();
        Keep(email, name, digest, roles, groups, by);
        return Send(email, name, token, by);
    }

    /// <summary>Makes the invitation of the first person, whose address is not known yet; gives the link.</summary>
    public string AddForFirst(IEnumerable<string> roles, Inviter by)
    {
        var (token, digest) = LinkToken.Make();
        Keep("", null, digest, roles, [], by);
        return $"{by.Links}/join/{token}";
    }

    /// <summary>Gives an invitation a new link, and sends it. The old link is no longer valid.</summary>
    public string Renew(Invitation invitation, Inviter by)
    {
        var (token, digest) = LinkToken.Make();
        var now = time.GetUtcNow();
        (invitation.Digest, invitation.MadeAt, invitation.Ends) = (digest, now, now + Longest);
        invitation.Revision++;
        return Send(invitation.Email, invitation.Name, token, by);
    }

    /// <summary>The invitation of a token that can be accepted; null where there is none.</summary>
    public async Task<Invitation?> FindAsync(string token, CancellationToken cancellation)
    {
        var digest = LinkToken.Digest(token);
        var found = await store.Invitations.FirstOrDefaultAsync(row => row.Digest == digest, cancellation);
        return found is { AcceptedAt: null } && found.Ends > time.GetUtcNow() ? found : null;
    }

    private void Keep(string email, string? name, byte[] digest, IEnumerable<string> roles, IEnumerable<string> groups, Inviter by)
    {
        var now = time.GetUtcNow();
        store.Invitations.Add(
            new Invitation
            {
                Id = Guid.NewGuid(),
                Email = email,
                Name = name,
                Roles = [.. roles],
                Groups = [.. groups],
                Digest = digest,
                MadeAt = now,
                MadeBy = by.Id,
                Ends = now + Longest,
            }
        );
    }

    private string Send(string email, string? name, string token, Inviter by)
    {
        var link = $"{by.Links}/join/{token}";
        if (mail.Server is not null)
        {
            store.OutgoingMails.Add(
                new OutgoingMail
                {
                    Address = email,
                    Subject = $"{by.Name} invites you to Rostrum",
                    Text =
                        $"Hello{(name is null ? "" : $" {name}")},\n\n"
                        + $"{by.Name} invites you to work with the apps of your team in Rostrum.\n\n"
                        + $"Choose a password here:\n{link}\n\nThe link is valid for {Longest.TotalDays:0} days, and for you alone.\n",
                    MadeAt = time.GetUtcNow(),
                    Due = time.GetUtcNow(),
                }
            );
        }

        return link;
    }
}

/// <summary>Who invites.</summary>
/// <param name="Id">The person.</param>
/// <param name="Name">What the mail says.</param>
/// <param name="Links">The start of links.</param>
internal sealed record Inviter(Guid Id, string Name, string Links);

/// <summary>Mail addresses that are typed.</summary>
internal static class MailAddress
{
    /// <summary>
    /// Lines of the form <c>maren@example.com, Maren Vik</c>, with a comma, a semicolon or a tab, in either order: addresses and names.
    /// </summary>
    public static IEnumerable<(string Email, string? Name)> Lines(string text) =>
        text.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            .Select(line => line.Split([',', ';', '\t'], 2, StringSplitOptions.TrimEntries).Select(part => part.Trim('"')).ToArray())
            .Select(parts => parts is [var name, var email] && !name.Contains('@', StringComparison.Ordinal) ? [email, name] : parts)
            .Select(parts => (parts[0], parts is [_, { Length: > 0 } name] ? name : null));

    /// <summary>Whether a text can be an address: one that a mail server is asked about, and no more.</summary>
    public static bool IsOne(string text) =>
        text.Length <= 254
        && MimeKit.MailboxAddress.TryParse(text, out var address)
        && address.Address == text
        && text.Contains('.', StringComparison.Ordinal);
}
