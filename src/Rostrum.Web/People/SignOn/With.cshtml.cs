using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Access.SignIn;
using Rostrum.Store;
using Rostrum.Web.People.Account;

namespace Rostrum.Web.People.SignOn;

/// <summary>Signs people in by a service outside: sends them to an OpenID provider and takes them back, or asks a directory.</summary>
internal sealed class WithModel(
    WorkspaceCache workspaces,
    Arrival arrival,
    LdapDirectory directory,
    SigningIn signingIn,
    SecondFactor secondFactor,
    PasswordCheck passwords,
    UserManager<Person> people
) : PageModel
{
    /// <summary>What a provider said, for an owner who only wants to see it.</summary>
    public const string ClaimsKept = "claims";

    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    public SignInProvider Provider { get; private set; } = null!;

    public string UserName { get; private set; } = "";

    public string? Refusal { get; private set; }

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var name = RouteData.Values["name"] as string;
        if (
            (await workspaces.GetAsync(HttpContext.RequestAborted)).SignInProviders.FirstOrDefault(one => one.Name == name && one.IsOn)
            is not { } provider
        )
        {
            context.Result = NotFound();
            return;
        }

        Provider = provider;
        await next();
    }

    public async Task<IActionResult> OnGetAsync(bool? look)
    {
        if (Provider.Settings is not ProviderSettings.OpenId)
        {
            return Page();
        }

        var here = $"/sign-in/with/{Provider.Name}?handler=Back&returnUrl={Uri.EscapeDataString(ReturnUrl ?? "")}";
        var back = look is true ? here + "&look=true" : here;
        try
        {
            await HttpContext.ChallengeAsync(OpenIdSchemes.NameOf(Provider), new AuthenticationProperties { RedirectUri = back });
            return new EmptyResult();
        }
        catch (Exception fault) when (fault is InvalidOperationException or HttpRequestException or IOException or TaskCanceledException)
        {
            await OpenIdFailures.NoteAsync(HttpContext, Provider.Name, SignInFailure.Unreachable, fault);
            return Redirect(OpenIdFailures.Address(Provider.Name, SignInFailure.Unreachable));
        }
    }

    /// <summary>Somebody comes back from an OpenID provider.</summary>
    public async Task<IActionResult> OnGetBackAsync(bool? look, CancellationToken cancellation)
    {
        var answer = await HttpContext.AuthenticateAsync(IdentityConstants.ExternalScheme);
        await HttpContext.SignOutAsync(IdentityConstants.ExternalScheme);
        if (
            answer.Principal is not { } principal
            || principal.FindFirstValue("sub") is not { Length: > 0 } key
            || answer.Properties?.Items[".AuthScheme"] != OpenIdSchemes.NameOf(Provider)
        )
        {
            return Redirect(OpenIdFailures.Address(Provider.Name, SignInFailure.Late));
        }

        PersonClaim[] claims = [.. principal.Claims.Select(claim => new PersonClaim(claim.Type, claim.Value)).Distinct()];
        if (look is true)
        {
            TempData[ClaimsKept] = string.Join('\n', claims.Select(claim => $"{claim.Type}: {claim.Value}"));
            return Redirect($"/people/sign-in/{Provider.Name}#try");
        }

        var known = new KnownBy(
            key,
            principal.FindFirstValue("name"),
            principal.FindFirstValue("email"),
            string.Equals(principal.FindFirstValue("email_verified"), "true", StringComparison.OrdinalIgnoreCase),
            [.. claims]
        );
        return await ArriveAsync(known, cancellation);
    }

    /// <summary>Somebody gives a directory's name and password.</summary>
    public async Task<IActionResult> OnPostAsync(string? userName, string? password, CancellationToken cancellation)
    {
        if (Provider.Settings is not ProviderSettings.Directory settings)
        {
            return NotFound();
        }

        UserName = userName?.Trim() ?? "";
        if (UserName.Length == 0 || string.IsNullOrEmpty(password))
        {
            Refusal = "Write your name and your password.";
            return Page();
        }

        var (outcome, wait) = await passwords.CheckOutsideAsync(
            $"{Provider.Name}: {UserName}",
            HttpContext.Connection.RemoteIpAddress?.ToString(),
            () => directory.FindAsync(Provider, settings, UserName, password, cancellation),
            cancellation
        );
        switch (outcome)
        {
            case null:
                Refusal = $"Too many attempts. Wait {SignInPauses.Said(wait)}, then try again.";
                return Page();
            case DirectoryAnswer.Known known:
                return await ArriveAsync(known.Person, cancellation);
            case DirectoryAnswer.Failed failed:
                await OpenIdFailures.NoteAsync(HttpContext, Provider.Name, SignInFailure.Unreachable, failed.Fault);
                Refusal = OpenIdFailures.Words(SignInFailure.Unreachable, Provider.Label);
                return Page();
            default:
                Refusal = "Wrong name or password. Check both and try again.";
                return Page();
        }
    }

    private async Task<IActionResult> ArriveAsync(KnownBy known, CancellationToken cancellation)
    {
        var (person, refusal) = await arrival.OfAsync(Provider, known, cancellation);
        if (person is null)
        {
            Refusal = refusal;
            return Page();
        }

        if (!Provider.ChecksSecondFactor && await people.GetTwoFactorEnabledAsync(person))
        {
            await secondFactor.AskAsync(person, stay: false);
            return Redirect($"/sign-in/code?returnUrl={Uri.EscapeDataString(ReturnUrl ?? "")}");
        }

        await signingIn.SignInAsync(person, stay: false, cancellation, Provider.ChecksSecondFactor ? SessionClaim.Elsewhere : null);
        return LocalRedirect(ReturnAddress.Of(Url, ReturnUrl));
    }
}
