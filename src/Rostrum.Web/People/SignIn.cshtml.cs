using System.Collections.Immutable;
using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Store;
using Rostrum.Web.People.Account;
using Rostrum.Web.People.Mail;
using Rostrum.Web.People.SignOn;

namespace Rostrum.Web.People;

internal sealed class SignInModel(
    UserManager<Person> people,
    PasswordCheck passwords,
    SecondFactor secondFactor,
    SigningIn signingIn,
    MailSettings mail,
    WorkspaceCache workspaces,
    Passkeys passkeys
) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    [BindProperty]
    [Required(ErrorMessage = "Write your sign-in name.")]
    public string UserName { get; set; } = "";

    [BindProperty]
    [Required(ErrorMessage = "Write your password.")]
    [DataType(DataType.Password)]
    public string Password { get; set; } = "";

    /// <summary>Beyond the browser's own session.</summary>
    [BindProperty]
    public bool Stay { get; set; }

    /// <summary>A link to set a new password can be sent.</summary>
    public bool CanBeReset => mail is { Server: not null, Address: not null };

    public string? Refusal { get; private set; }

    /// <summary>The services by which one may sign in instead.</summary>
    public ImmutableArray<SignInProvider> Providers { get; private set; } = [];

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        Providers = [.. (await workspaces.GetAsync(HttpContext.RequestAborted)).SignInProviders.Where(provider => provider.IsOn)];
        await next();
    }

    /// <param name="with">The provider by which it did not come about.</param>
    /// <param name="failed">Why not.</param>
    public IActionResult OnGet(string? with, SignInFailure? failed)
    {
        if (User.Identity is { IsAuthenticated: true })
        {
            return Back();
        }

        if (failed is { } failure && Providers.FirstOrDefault(provider => provider.Name == with) is { } provider)
        {
            Refusal = OpenIdFailures.Words(failure, provider.Label);
        }

        return Page();
    }

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        if (!ModelState.IsValid)
        {
            return Page();
        }

        var (person, wait) = await passwords.CheckAsync(
            UserName.Trim(),
            Password,
            HttpContext.Connection.RemoteIpAddress?.ToString(),
            cancellation
        );
        if (person is null)
        {
            Refusal =
                wait > TimeSpan.Zero
                    ? $"Too many attempts. Wait {SignInPauses.Said(wait)}, then try again."
                    : "Wrong name or password. Check both and try again.";
            return Page();
        }

        if (await people.GetTwoFactorEnabledAsync(person))
        {
            await secondFactor.AskAsync(person, Stay);
            return Redirect($"/sign-in/code?returnUrl={Uri.EscapeDataString(ReturnUrl ?? "")}");
        }

        await signingIn.SignInAsync(person, Stay, cancellation);
        return Back();
    }

    /// <summary>What the browser is asked for, to sign in with a passkey.</summary>
    public async Task<IActionResult> OnPostPasskeyOptionsAsync() => Content(await passkeys.AskingAsync(), "application/json");

    public async Task<IActionResult> OnPostPasskeyAsync(string? credential, CancellationToken cancellation)
    {
        ModelState.Clear();
        if (await passkeys.WhoseAsync(credential ?? "") is not { } person)
        {
            Refusal = "This passkey lets nobody in here. Sign in another way, and add one under Your account.";
            return Page();
        }

        await passwords.NoteAsync(person, HttpContext.Connection.RemoteIpAddress?.ToString(), cancellation);
        await signingIn.SignInAsync(person, Stay, cancellation, SessionClaim.Passkey);
        return Back();
    }

    public async Task<IActionResult> OnPostOutAsync()
    {
        await signingIn.SignOutAsync();
        return RedirectToPage("/People/SignIn");
    }

    private LocalRedirectResult Back() => LocalRedirect(ReturnAddress.Of(Url, ReturnUrl));
}
