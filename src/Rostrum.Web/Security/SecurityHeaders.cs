namespace Rostrum.Web.Security;

/// <summary>What every answer tells the browser to refuse.</summary>
internal static class SecurityHeaders
{
    private const string Nonce = "style-nonce";

    private const string ContentPolicy =
        "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{0}'; img-src {3}; media-src 'self'; font-src 'self'; connect-src "
        + "'self'; form-action 'self'; base-uri 'none'; frame-src {2}; frame-ancestors {1}";

    private static readonly string Images = string.Join(' ', EmbedOrigins.Pictures.Prepend("data:").Prepend("'self'"));
    private static readonly string Frames = string.Join(' ', EmbedOrigins.All.Prepend("'self'"));

    /// <summary>What a script of the page shows to add a style sheet: the formula editor makes its own.</summary>
    public static string StyleNonce(this HttpContext context) => context.Items[Nonce] as string ?? "";

    public static void UseSecurityHeaders(this IApplicationBuilder application) =>
        application.Use(
            async (context, next) =>
            {
                var headers = context.Response.Headers;
                var nonce = Convert.ToBase64String(System.Security.Cryptography.RandomNumberGenerator.GetBytes(16));
                context.Items[Nonce] = nonce;
                headers.ContentSecurityPolicy = ContentPolicy
                    .Replace("{0}", nonce, StringComparison.Ordinal)
                    .Replace("{2}", Frames, StringComparison.Ordinal)
                    .Replace("{3}", Images, StringComparison.Ordinal)
                    // Build shows the page that is being composed; nothing else stands in a frame.
                    .Replace(
                        "{1}",
                        context.Request.Path.StartsWithSegments("/canvas", StringComparison.OrdinalIgnoreCase) ? "'self'" : "'none'",
                        StringComparison.Ordinal
                    );
                headers.XContentTypeOptions = "nosniff";
                headers["Referrer-Policy"] = "same-origin";
                headers["Cross-Origin-Opener-Policy"] = "same-origin";
                // In the words of the antiforgery service, which would otherwise say at every form that it puts its own in their place.
                headers.CacheControl = "no-cache, no-store";
                await next(context);
            }
        );
}
