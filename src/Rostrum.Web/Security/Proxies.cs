using System.Net;
using Microsoft.AspNetCore.HttpOverrides;

namespace Rostrum.Web.Security;

/// <summary>Whose word is taken for the address, host and scheme of a request.</summary>
internal static class Proxies
{
    /// <summary>Takes the X-Forwarded headers of the proxies at these addresses (with spaces between them), and of no one else.</summary>
    public static void AddProxies(this IServiceCollection services, string? addresses) =>
        services.Configure<ForwardedHeadersOptions>(headers =>
        {
            headers.KnownIPNetworks.Clear();
            headers.KnownProxies.Clear();
            foreach (var address in (addresses ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries))
            {
                headers.KnownProxies.Add(IPAddress.Parse(address));
                headers.ForwardedHeaders =
                    ForwardedHeaders.XForwardedFor | ForwardedHeaders.XForwardedProto | ForwardedHeaders.XForwardedHost;
            }
        });
}
