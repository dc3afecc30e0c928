namespace Rostrum.Web.Security;

/// <summary>What the browser's half of a partial update says of itself.</summary>
internal static class Htmx
{
    /// <summary>The request wants a part of a page and not a page.</summary>
    public static bool IsPartial(this HttpRequest request) => request.Headers.ContainsKey("HX-Request");

    /// <summary>The id of the element that the answer goes into.</summary>
    public static string Target(this HttpRequest request) => request.Headers["HX-Target"].ToString();

    /// <summary>The page at which the person is, as a local address.</summary>
    public static string CurrentAddress(this HttpRequest request) =>
        Uri.TryCreate(request.Headers["HX-Current-URL"].ToString(), UriKind.Absolute, out var address) ? address.PathAndQuery : "/";
}
