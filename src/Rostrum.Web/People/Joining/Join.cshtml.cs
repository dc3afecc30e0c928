using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.People.Joining;

/// <summary>Somebody who was invited chooses a name and a password. One invitation makes one person.</summary>
internal sealed class JoinModel(
    RostrumStore store,
    Invitations invitations,
    UserManager<Person> people,
    SigningIn signingIn,
    TimeProvider time
) : PageModel
{
    public Invitation? Invitation { get; private set; }

    public string Name { get; private set; } = "";

    /// <summary>The address that the first person gives; everybody else is invited by theirs.</summary>
    public string Email { get; private set; } = "";

    public string UserName { get; private set; } = "";

    public ImmutableArray<string> Problems { get; private set; } = [];

    public async Task OnGetAsync(string token, CancellationToken cancellation)
    {
        Invitation = await invitations.FindAsync(token, cancellation);
        (Name, UserName) = (Invitation?.Name ?? "", Invitation?.Email.Split('@')[0].ToLowerInvariant() ?? "");
    }

    public async Task<IActionResult> OnPostAsync(
        string token,
        string? name,
        string? email,
        string? userName,
        string? newPassword,
        CancellationToken cancellation
    )
    {
        (Name, UserName) = (name?.Trim() ?? "", userName?.Trim() ?? "");
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        Invitation = await invitations.FindAsync(token, cancellation);
        if (Invitation is null)
        {
            return Page();
        }

        if (Name.Length == 0)
        {
            Problems = ["Write your name."];
            return Page();
        }

        Email = Invitation.Email.Length > 0 ? Invitation.Email : email?.Trim() ?? "";
        if (!MailAddress.IsOne(Email))
        {
            Problems = ["Write your mail address."];
            return Page();
        }

        if (await people.FindByEmailAsync(Email) is not null)
        {
            Problems = ["Somebody has joined with this address already. Sign in instead."];
            return Page();
        }

        var person = new Person
        {
            UserName = UserName,
            Name = Name,
            Email = Email,
            EmailConfirmed = Invitation.Email.Length > 0,
        };

        // Taken before anything is made of it: of two at once, one finds it taken.
        Invitation.AcceptedAt = time.GetUtcNow();
        Invitation.Revision++;
        try
        {
            var made = await people.CreateAsync(person, newPassword ?? "");
            if (!made.Succeeded)
            {
                store.Entry(Invitation).State = EntityState.Unchanged;
                Problems = [.. made.Errors.Select(error => error.Description)];
                return Page();
            }

            await Memberships.SetAsync(store, person.Id, Invitation.Roles, Invitation.Groups, cancellation);
            await store.SaveChangesAsync(cancellation);
            await transaction.CommitAsync(cancellation);
        }
        catch (DbUpdateConcurrencyException)
        {
            Invitation = null;
            return Page();
        }

        await signingIn.SignInAsync(person, stay: false, cancellation);
        return Redirect("/");
    }
}
