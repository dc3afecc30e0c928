using System.DirectoryServices.Protocols;
using Microsoft.IdentityModel.Protocols;
using Microsoft.IdentityModel.Protocols.OpenIdConnect;
using Rostrum.Core.Access.SignIn;
using Rostrum.Sources.Http;
using Rostrum.Store;

namespace Rostrum.Web.People.SignOn.Providers;

/// <summary>Asks a service whether it can be reached with the settings that an owner has typed.</summary>
internal sealed class ProviderCheck(LdapDirectory directory)
{
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(10);

    /// <returns>What it says of itself, or what the matter is.</returns>
    public async Task<(string? Answer, string? Problem)> AskAsync(SignInProvider provider, CancellationToken cancellation) =>
        provider.Settings switch
        {
            ProviderSettings.OpenId settings => await AskAsync(settings, cancellation),
            ProviderSettings.Directory settings => await directory.CheckAsync(provider, settings, cancellation),
            _ => (null, "This kind is not known."),
        };

    private static async Task<(string? Answer, string? Problem)> AskAsync(ProviderSettings.OpenId settings, CancellationToken cancellation)
    {
        using var handler = new SocketsHttpHandler { ConnectCallback = AddressGuard.ConnectAsync };
        using var client = new HttpClient(handler) { Timeout = Longest };
        try
        {
            var address = $"{settings.Authority}/.well-known/openid-configuration";
            var found = await OpenIdConnectConfigurationRetriever.GetAsync(
                address,
                new HttpDocumentRetriever(client) { RequireHttps = !settings.IsOnThisMachine },
                cancellation
            );
            return found switch
            {
                { AuthorizationEndpoint: null } or { TokenEndpoint: null } => (null, "It answers, and names no place to sign in."),
                { SigningKeys.Count: 0 } => (null, "It answers, and shows no key to check its signatures with."),
                _ => (
                    $"It answers as {found.Issuer}, with {found.SigningKeys.Count} {(found.SigningKeys.Count == 1 ? "key" : "keys")}.",
                    null
                ),
            };
        }
        catch (Exception fault)
            when (fault is IOException or HttpRequestException or InvalidOperationException or ArgumentException or TaskCanceledException)
        {
            return (null, $"It cannot be asked: {(fault.InnerException ?? fault).Message}");
        }
    }
}
