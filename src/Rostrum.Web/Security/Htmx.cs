using Rostrum.Core.Apps.State;
using Rostrum.Web.Live;

namespace Rostrum.Web.Security;

/// <summary>What the browser's half of a partial update says of itself.</summary>
internal static class Htmx
{
    /// <summary>The request wants a part of a page and not a page.</summary>
    public static bool IsPartial(this HttpRequest request) => request.Headers.ContainsKey("HX-Request");

    /// <summary>The id of the element that the answer goes into.</summary>
    public static string Target(this HttpRequest request) => request.Headers["HX-Target"].ToString();

    /// <summary>The panel whose element the answer goes into, if it is one's.</summary>
    public static IEnumerable<string> TargetPanel(this HttpRequest request) =>
        request.Target() is var target && target.StartsWith("panel-", StringComparison.Ordinal) ? [target["panel-".Length..]] : [];

    /// <summary>The state of a page as the browser shows it.</summary>
    public static PageState CurrentState(this HttpRequest request, Core.Apps.Page page) =>
        PageAddress.Read(
            page,
            request.CurrentAddress() is var address && address.IndexOf('?', StringComparison.Ordinal) is >= 0 and var at
                ? address[at..]
                : ""
        );

    /// <summary>Where somebody comes back to who leaves this page for another.</summary>
    public static string OwnAddress(this HttpRequest request) =>
        HttpMethods.IsGet(request.Method) && !request.IsPartial() ? request.Path + request.QueryString : request.CurrentAddress();

    /// <summary>The page at which the person is, as a local address.</summary>
    public static string CurrentAddress(this HttpRequest request) =>
        Uri.TryCreate(request.Headers["HX-Current-URL"].ToString(), UriKind.Absolute, out var address)
        && address.PathAndQuery is ['/', not ('/' or '\\'), ..] and var local
            ? local
            : "/";
}
