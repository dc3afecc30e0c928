using System.Collections.Immutable;
using System.Security.Claims;
using System.Text;
using System.Text.Encodings.Web;
using Microsoft.AspNetCore;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using OpenIddict.Abstractions;
using OpenIddict.Server;
using OpenIddict.Server.AspNetCore;
using static OpenIddict.Abstractions.OpenIddictConstants;
using static OpenIddict.Server.OpenIddictServerEvents;

namespace Rostrum.StandIns.Gatehouse;

/// <summary>Somebody whom the gatehouse knows.</summary>
public sealed record Resident(string Key, string Name, string Email, ImmutableArray<string> Groups, string Port);

/// <summary>
/// An identity provider for the demo and the tests (OpenID Connect, by OpenIddict): one chooses who one is, without a password, and is sent
/// back. Its keys are made anew with each start.
/// </summary>
public static class Gatehouse
{
    public const string ClientId = "rostrum";
    public const string ClientSecret = "gate-and-lantern-7";

    /// <summary>Whom it knows: people of the demo, and one who is new.</summary>
    public static ImmutableArray<Resident> Residents { get; } =
    [
        new("g-101", "Pia Sund", "pia@brackwater.example", ["quay"], "BRW"),
        new("g-102", "Egil Strand", "egil@brackwater.example", ["workshop"], ""),
        new("g-103", "Nils Dahl", "nils@brackwater.example", ["quay"], "SKS"),
        new("g-104", "Runa Eide", "runa@elsewhere.example", [], ""),
    ];

    /// <summary>The service at an address; it is started by its caller.</summary>
    public static WebApplication At(string address)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.WebHost.UseUrls(address);
        builder.Logging.ClearProviders();
        builder.Services.AddAuthentication();
        builder
            .Services.AddOpenIddict()
            .AddServer(server =>
            {
                server.SetIssuer(new Uri(address));
                server.SetAuthorizationEndpointUris("authorize").SetTokenEndpointUris("token").SetUserInfoEndpointUris("userinfo");
                server.AllowAuthorizationCodeFlow().RequireProofKeyForCodeExchange();
                server.RegisterScopes(Scopes.OpenId, Scopes.Email, Scopes.Profile);
                server.AddEphemeralEncryptionKey().AddEphemeralSigningKey().DisableAccessTokenEncryption();
                // One client, and nothing to be kept of it.
                server.EnableDegradedMode();
                server.AddEventHandler<ValidateAuthorizationRequestContext>(handler => handler.UseInlineHandler(ValidateClient));
                server.AddEventHandler<ValidateTokenRequestContext>(handler => handler.UseInlineHandler(ValidateSecret));
                server
                    .UseAspNetCore()
                    .DisableTransportSecurityRequirement()
                    .EnableAuthorizationEndpointPassthrough()
                    .EnableUserInfoEndpointPassthrough();
            });
        var app = builder.Build();
        app.UseAuthentication();
        app.MapGet("/", () => Results.Redirect("/.well-known/openid-configuration"));
        app.MapMethods("/authorize", ["GET", "POST"], Authorize);
        app.MapMethods("/userinfo", ["GET", "POST"], (Delegate)UserInfoAsync);
        return app;
    }

    private static ValueTask ValidateClient(ValidateAuthorizationRequestContext context)
    {
        if (context.ClientId != ClientId)
        {
            context.Reject(Errors.InvalidClient, "This client is not known.");
        }
        else if (!context.RedirectUri!.EndsWith("/answer", StringComparison.Ordinal))
        {
            context.Reject(Errors.InvalidRequest, "This address to come back to is not registered.");
        }

        return ValueTask.CompletedTask;
    }

    private static ValueTask ValidateSecret(ValidateTokenRequestContext context)
    {
        if (context.ClientId != ClientId || context.ClientSecret != ClientSecret)
        {
            context.Reject(Errors.InvalidClient, "The client's name or secret is wrong.");
        }

        return ValueTask.CompletedTask;
    }

    private static IResult Authorize(HttpContext http)
    {
        var who = http.Request.Query["who"].ToString();
        if (who == "nobody")
        {
            return Results.Forbid(
                new AuthenticationProperties(
                    new Dictionary<string, string?>
                    {
                        [OpenIddictServerAspNetCoreConstants.Properties.Error] = Errors.AccessDenied,
                        [OpenIddictServerAspNetCoreConstants.Properties.ErrorDescription] = "Nobody was chosen.",
                    }
                ),
                [OpenIddictServerAspNetCoreDefaults.AuthenticationScheme]
            );
        }

        if (Residents.FirstOrDefault(one => one.Key == who) is not { } resident)
        {
            return Results.Content(Page(http.Request), "text/html; charset=utf-8");
        }

        var identity = new ClaimsIdentity("gatehouse", Claims.Name, Claims.Role);
        identity.SetClaim(Claims.Subject, resident.Key).SetClaim(Claims.Name, resident.Name).SetClaim(Claims.Email, resident.Email);
        identity.SetClaim(Claims.PreferredUsername, resident.Email.Split('@')[0]);
        identity.SetClaim(Claims.EmailVerified, true);
        identity.SetScopes(Scopes.OpenId, Scopes.Email, Scopes.Profile);
        identity.SetDestinations(_ => [Destinations.IdentityToken, Destinations.AccessToken]);
        return Results.SignIn(new ClaimsPrincipal(identity), authenticationScheme: OpenIddictServerAspNetCoreDefaults.AuthenticationScheme);
    }

    private static async Task<IResult> UserInfoAsync(HttpContext http)
    {
        var answer = await http.AuthenticateAsync(OpenIddictServerAspNetCoreDefaults.AuthenticationScheme);
        return Residents.FirstOrDefault(one => one.Key == answer.Principal?.GetClaim(Claims.Subject)) is { } resident
            ? Results.Json(
                new Dictionary<string, object>
                {
                    ["sub"] = resident.Key,
                    ["groups"] = resident.Groups,
                    ["port"] = resident.Port,
                }
            )
            : Results.Unauthorized();
    }

    private static string Page(HttpRequest request)
    {
        var text = new StringBuilder(
            "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\">"
                + "<title>Gatehouse</title><h1>Gatehouse</h1><p>Who are you?</p><ul>"
        );
        foreach (
            var (key, words) in Residents.Select(one => (one.Key, $"{one.Name} ({one.Email})")).Append(("nobody", "Nobody: send me back"))
        )
        {
            var address = $"/authorize{request.QueryString}&who={key}";
            text.Append("<li><a href=\"")
                .Append(HtmlEncoder.Default.Encode(address))
                .Append("\">")
                .Append(HtmlEncoder.Default.Encode(words))
                .Append("</a></li>");
        }

        return text.Append("</ul>").ToString();
    }
}
