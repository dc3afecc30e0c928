using Microsoft.AspNetCore.Mvc;

namespace Rostrum.Web.People;

/// <summary>Where somebody goes who has signed in: back to where they came from, and never to another server.</summary>
internal static class ReturnAddress
{
    // What an address cannot hold as it is, is written as it can.
    public static string Of(IUrlHelper url, string? wanted) =>
        url.IsLocalUrl(wanted) && Uri.TryCreate(new Uri("http://here"), wanted, out var address)
            ? address.PathAndQuery + address.Fragment
            : "/";
}
