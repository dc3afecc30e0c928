using System.Security.Claims;
using System.Security.Cryptography;
using System.Threading.RateLimiting;
using Rostrum.Store;
using Rostrum.Web.Live.Panels.Calendar.Feed;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Public;

/// <summary>
/// Lets whoever has a public link open its page. A visitor is nobody: even who is signed in has the link's rights there, and not their own.
/// </summary>
internal static class PublicLinks
{
    /// <summary>Where public pages are.</summary>
    public const string Root = "/public";

    private const string Visit = "public link";
    private const int ReadsAMinute = 120;
    private const int WritesAMinute = 12;

    // What a public page can be asked beside showing it. Everything else takes somebody who is signed in.
    private static readonly string[] Open = ["Rows", "Choices", "Lookup", "Filter", "Image", "File", "Version"];
    private static readonly string[] OpenForForms = ["Check", "Save"];

    /// <summary>The link by which a request came; null where it came by none.</summary>
    public static PublicLink? PublicLink(this HttpContext? context) => context?.Items[Visit] as PublicLink;

    /// <summary>Whether a public page answers a handler.</summary>
    public static bool Answers(this PublicLink link, string handler) =>
        Open.Contains(handler) || (link.AllowsForms && OpenForForms.Contains(handler));

    /// <summary>Slows whoever asks public pages too much, on each node by itself.</summary>
    public static void AddPublicLinks(this IServiceCollection services) =>
        services.AddRateLimiter(limits =>
        {
            limits.RejectionStatusCode = StatusCodes.Status429TooManyRequests;
            limits.GlobalLimiter = PartitionedRateLimiter.Create<HttpContext, string>(context =>
            {
                var writes = context.Request.Query["handler"] == "Save";
                return RateLimitPartition.GetFixedWindowLimiter(
                    $"{context.Connection.RemoteIpAddress} {writes}",
                    _ => new FixedWindowRateLimiterOptions
                    {
                        PermitLimit = writes ? WritesAMinute : ReadsAMinute,
                        Window = TimeSpan.FromMinutes(1),
                    }
                );
            });
        });

    public static void UsePublicLinks(this IApplicationBuilder application)
    {
        application.UseWhen(
            context =>
                context.Request.Path.StartsWithSegments(Root, StringComparison.OrdinalIgnoreCase)
                || context.Request.Path.StartsWithSegments(CalendarFeedEndpoint.Root, StringComparison.OrdinalIgnoreCase),
            visited => visited.UseRateLimiter()
        );
        application.Use(
            async (context, next) =>
            {
                if (context.Request.Path.StartsWithSegments(Root, StringComparison.OrdinalIgnoreCase, out var rest))
                {
                    if (await FindAsync(context, rest.Value?.Trim('/') ?? "") is not { } link)
                    {
                        context.Response.StatusCode = StatusCodes.Status410Gone;
                        return;
                    }

                    context.Items[Visit] = link;
                    context.User = new ClaimsPrincipal(new ClaimsIdentity([new Claim(Visit, $"{link.Id:N}")], Visit));
                    context.Response.Headers["X-Robots-Tag"] = "noindex";
                }

                await next(context);
            }
        );
    }

    private static async Task<PublicLink?> FindAsync(HttpContext context, string token)
    {
        var services = context.RequestServices;
        var workspace = await services.GetRequiredService<WorkspaceCache>().GetAsync(context.RequestAborted);
        var digest = LinkToken.Digest(token);
        var link = workspace.PublicLinks.FirstOrDefault(known => CryptographicOperations.FixedTimeEquals(known.Digest, digest));
        return link is not null && !(link.Ends <= services.GetRequiredService<TimeProvider>().GetUtcNow()) ? link : null;
    }
}
