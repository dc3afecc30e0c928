using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Identity;
using Rostrum.Store;

namespace Rostrum.Web.People;

/// <summary>Begins and ends sessions at this browser.</summary>
internal sealed class SigningIn(SignInManager<Person> signIn, OpenSessions sessions, IHttpContextAccessor context)
{
    private HttpContext Http => context.HttpContext!;

    /// <summary>Begins a session in place of the one that was open here.</summary>
    /// <param name="person">Who.</param>
    /// <param name="stay">Beyond the browser's own session.</param>
    /// <param name="cancellation">Ends the wait.</param>
    /// <param name="secondFactor">Where a second factor was asked for, when that was not by a code here.</param>
    public async Task SignInAsync(Person person, bool stay, CancellationToken cancellation, string? secondFactor = null)
    {
        await EndAsync();
        var device = Http.Request.Headers.UserAgent.ToString();
        var session = await sessions.OpenAsync(person.Id, device, Http.Connection.RemoteIpAddress?.ToString(), cancellation);
        await signIn.SignInWithClaimsAsync(
            person,
            new AuthenticationProperties { IsPersistent = stay, ExpiresUtc = stay ? session.Ends : null },
            [
                new Claim(SessionClaim.Type, $"{session.Id:N}"),
                .. secondFactor is null ? Array.Empty<Claim>() : [new Claim(SessionClaim.SecondFactor, secondFactor)],
            ]
        );
    }

    public async Task SignOutAsync()
    {
        await EndAsync();
        await signIn.SignOutAsync();
    }

    private async Task EndAsync()
    {
        if (Http.User.SessionId() is { } session)
        {
            await sessions.EndAsync(session, Http.RequestAborted);
        }
    }
}
