using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.OpenIdConnect;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Identity;
using Microsoft.Extensions.Options;
using Microsoft.IdentityModel.Protocols.OpenIdConnect;
using Microsoft.IdentityModel.Tokens;
using Rostrum.Core.Access.SignIn;
using Rostrum.Sources.Http;
using Rostrum.Store;

namespace Rostrum.Web.People.SignOn;

/// <summary>
/// The ways to sign in that ASP.NET Core knows: its own, and one for each OpenID provider of the workspace as it is at this moment. A
/// provider whose settings were changed is another scheme, on every node.
/// </summary>
internal sealed class OpenIdSchemes(
    IOptions<AuthenticationOptions> options,
    WorkspaceCache workspaces,
    ProviderSecrets secrets,
    IDataProtectionProvider protection,
    IOptionsMonitorCache<OpenIdConnectOptions> known,
    IHttpContextAccessor context
) : AuthenticationSchemeProvider(options)
{
    private const string Prefix = "openid ";
    private const string Addresses = "/sign-in/with/";
    private const string Answer = "/answer";
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(15);

    /// <summary>The scheme of a provider.</summary>
    public static string NameOf(SignInProvider provider) => $"{Prefix}{provider.Name} {provider.Revision}";

    /// <summary>Where the provider sends people back to.</summary>
    public static string AnswerAddress(string provider) => $"{Addresses}{provider}{Answer}";

    public override async Task<AuthenticationScheme?> GetSchemeAsync(string name)
    {
        if (!name.StartsWith(Prefix, StringComparison.Ordinal))
        {
            return await base.GetSchemeAsync(name);
        }

        var provider = (await ProvidersAsync()).FirstOrDefault(provider => NameOf(provider) == name);
        return provider is null ? null : Scheme(provider);
    }

    // Asked for with every request: only an answer of a provider is its own to handle.
    public override async Task<IEnumerable<AuthenticationScheme>> GetRequestHandlerSchemesAsync()
    {
        var path = context.HttpContext?.Request.Path.Value ?? "";
        if (!path.StartsWith(Addresses, StringComparison.Ordinal) || !path.EndsWith(Answer, StringComparison.Ordinal))
        {
            return await base.GetRequestHandlerSchemesAsync();
        }

        var provider = (await ProvidersAsync()).FirstOrDefault(provider => AnswerAddress(provider.Name) == path);
        return provider is null ? [] : [Scheme(provider)];
    }

    private async ValueTask<IEnumerable<SignInProvider>> ProvidersAsync() =>
        (await workspaces.GetAsync(context.HttpContext?.RequestAborted ?? CancellationToken.None)).SignInProviders.Where(provider =>
            provider is { IsOn: true, Settings: ProviderSettings.OpenId }
        );

    private AuthenticationScheme Scheme(SignInProvider provider)
    {
        var name = NameOf(provider);
        known.GetOrAdd(name, () => Options(name, provider, (ProviderSettings.OpenId)provider.Settings));
        return new AuthenticationScheme(name, provider.Label, typeof(OpenIdConnectHandler));
    }

    private OpenIdConnectOptions Options(string name, SignInProvider provider, ProviderSettings.OpenId settings)
    {
        var made = new OpenIdConnectOptions
        {
            Authority = settings.Authority,
            RequireHttpsMetadata = !settings.IsOnThisMachine,
            ClientId = settings.ClientId,
            ClientSecret = secrets.Unprotect(provider.ProtectedSecret),
            ResponseType = OpenIdConnectResponseType.Code,
            ResponseMode = OpenIdConnectResponseMode.Query,
            UsePkce = true,
            CallbackPath = AnswerAddress(provider.Name),
            SignInScheme = IdentityConstants.ExternalScheme,
            MapInboundClaims = false,
            GetClaimsFromUserInfoEndpoint = true,
            SaveTokens = false,
            BackchannelTimeout = Longest,
            BackchannelHttpHandler = new SocketsHttpHandler
            {
                ConnectCallback = AddressGuard.ConnectAsync,
                PooledConnectionLifetime = TimeSpan.FromMinutes(5),
            },
        };
        made.Scope.Clear();
        made.Scope.Add("openid");
        foreach (var scope in settings.Scopes.Split(' ', StringSplitOptions.RemoveEmptyEntries))
        {
            made.Scope.Add(scope);
        }

        made.ClaimActions.Add(new EveryClaim());
        foreach (var cookie in new[] { made.CorrelationCookie, made.NonceCookie })
        {
            // The answer comes by an address and not by a form, so that a stricter cookie does.
            cookie.SameSite = SameSiteMode.Lax;
            cookie.SecurePolicy = CookieSecurePolicy.SameAsRequest;
        }

        made.Events.OnRemoteFailure = OpenIdFailures.AnswerAsync;
        // The handler takes an unsigned token that came over the provider's own connection; we take none.
        made.Events.OnTokenValidated = context =>
        {
            if (context.SecurityToken.RawSignature is null or "")
            {
                context.Fail(new SecurityTokenInvalidSignatureException("The ID token is not signed."));
            }

            return Task.CompletedTask;
        };
        new OpenIdConnectPostConfigureOptions(protection).PostConfigure(name, made);
        made.Validate(name);
        return made;
    }
}
