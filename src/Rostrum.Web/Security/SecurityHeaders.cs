namespace Rostrum.Web.Security;

/// <summary>What every answer tells the browser to refuse.</summary>
internal static class SecurityHeaders
{
    private const string ContentPolicy =
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

    public static void UseSecurityHeaders(this IApplicationBuilder application) => application.Use(async (context, next) =>
    {
        var headers = context.Response.Headers;
        headers.ContentSecurityPolicy = ContentPolicy;
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";
        headers.CacheControl = "no-store";
        await next(context);
    });
}
