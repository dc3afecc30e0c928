using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Store;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People.Account;

/// <summary>A new password, by a link. All sessions end with the old one.</summary>
internal sealed class NewPasswordModel(UserManager<Person> people, OpenSessions sessions, AccountNotices notices) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public Guid Person { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Token { get; set; }

    public bool IsValid { get; private set; }

    public ImmutableArray<string> Problems { get; private set; } = [];

    public async Task OnGetAsync() => IsValid = await FindAsync() is not null;

    public async Task<IActionResult> OnPostAsync(string? newPassword, CancellationToken cancellation)
    {
        if (await FindAsync() is not { } person)
        {
            return Page();
        }

        var set = await people.ResetPasswordAsync(person, Token!, newPassword ?? "");
        if (!set.Succeeded)
        {
            (IsValid, Problems) = (true, [.. set.Errors.Select(error => error.Description)]);
            return Page();
        }

        await sessions.EndAllAsync(person.Id, but: null, cancellation);
        await notices.TellAsync(person, "Your password was set anew by a link.", cancellation);
        return Redirect("/sign-in");
    }

    private async Task<Person?> FindAsync() =>
        Token is { Length: > 0 }
        && await people.FindByIdAsync(Person.ToString()) is { DeactivatedAt: null } person
        && await people.VerifyUserTokenAsync(
            person,
            people.Options.Tokens.PasswordResetTokenProvider,
            UserManager<Person>.ResetPasswordTokenPurpose,
            Token
        )
            ? person
            : null;
}
