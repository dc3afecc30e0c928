using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Rostrum.Web.People.Account;

/// <summary>The second step of a sign-in. Wrong codes are counted, and slowed, as wrong passwords are.</summary>
internal sealed class CodeModel(SecondFactor secondFactor, PasswordCheck passwords, SigningIn signingIn) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    public string? Refusal { get; private set; }

    public async Task<IActionResult> OnGetAsync() => await secondFactor.AskedAsync() is null ? Redirect("/sign-in") : Page();

    public async Task<IActionResult> OnPostAsync(string? code, CancellationToken cancellation)
    {
        if (await secondFactor.AskedAsync() is not { } asked)
        {
            return Redirect("/sign-in");
        }

        var (isRight, wait) = await passwords.CheckCodeAsync(
            asked.Person,
            HttpContext.Connection.RemoteIpAddress?.ToString(),
            () => secondFactor.IsRightAsync(asked.Person, code ?? ""),
            cancellation
        );
        if (!isRight)
        {
            Refusal =
                wait > TimeSpan.Zero
                    ? $"Too many attempts. Wait {SignInPauses.Said(wait)}, then try again."
                    : "This code is not right, or was used already. Wait for the next one.";
            return Page();
        }

        await secondFactor.AnsweredAsync();
        await signingIn.SignInAsync(asked.Person, asked.Stay, cancellation);
        return LocalRedirect(ReturnAddress.Of(Url, ReturnUrl));
    }
}
