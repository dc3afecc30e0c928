using System.ComponentModel.DataAnnotations;
using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Store;

namespace Rostrum.Web.People;

internal sealed class SignInModel(SignInManager<Person> signIn, PasswordCheck passwords, OpenSessions sessions) : PageModel
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

    public string? Refusal { get; private set; }

    public IActionResult OnGet() => User.Identity is { IsAuthenticated: true } ? Back() : Page();

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
                    ? $"Too many attempts. Wait {Said(wait)}, then try again."
                    : "Wrong name or password. Check both and try again.";
            return Page();
        }

        await EndSessionAsync();
        var session = await sessions.OpenAsync(person.Id, cancellation);
        await signIn.SignInWithClaimsAsync(
            person,
            new AuthenticationProperties { IsPersistent = Stay, ExpiresUtc = Stay ? session.Ends : null },
            [new Claim(SessionClaim.Type, $"{session.Id:N}")]
        );
        return Back();
    }

    public async Task<IActionResult> OnPostOutAsync()
    {
        await EndSessionAsync();
        await signIn.SignOutAsync();
        return RedirectToPage("/People/SignIn");
    }

    private async Task EndSessionAsync()
    {
        if (User.SessionId() is { } session)
        {
            await sessions.EndAsync(session, HttpContext.RequestAborted);
        }
    }

    private static string Said(TimeSpan wait) =>
        wait <= TimeSpan.FromSeconds(90) ? $"{Math.Ceiling(wait.TotalSeconds)} seconds" : $"{Math.Ceiling(wait.TotalMinutes)} minutes";

    // What an address cannot hold as it is, is written as it can.
    private LocalRedirectResult Back() =>
        LocalRedirect(
            Url.IsLocalUrl(ReturnUrl) && Uri.TryCreate(new Uri("http://here"), ReturnUrl, out var address)
                ? address.PathAndQuery + address.Fragment
                : "/"
        );
}
