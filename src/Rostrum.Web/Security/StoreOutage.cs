using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Rostrum.Store;

namespace Rostrum.Web.Security;

/// <summary>
/// Answers while the store cannot be reached, with a page that needs nothing of it. Sources that cannot be reached never come this far:
/// the gate answers for them.
/// </summary>
internal static partial class StoreOutage
{
    private const string Page = """
        <!DOCTYPE html>
        <html lang="en">
        <head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
        <title>Not reachable · Rostrum</title>
        <link rel="stylesheet" href="{0}"></head>
        <body><main class="signin" id="main"><div class="signin-card">
        <h1>Rostrum cannot reach its own records</h1>
        <p>Your apps are back as soon as it can. Load this page again in a minute; if it stays so, tell an owner of this workspace.</p>
        <p><a class="btn btn-outline-primary" href="">Try again</a></p>
        </div></main></body>
        </html>
        """;

    public static void UseStoreOutage(this WebApplication application) =>
        application.Use(
            async (context, next) =>
            {
                try
                {
                    await next(context);
                }
                catch (Exception failure) when (!context.Response.HasStarted && StoreFailure.IsUnreachable(failure))
                {
                    CouldNotReach(application.Logger, failure);
                    context.Response.Clear();
                    context.Response.StatusCode = StatusCodes.Status503ServiceUnavailable;
                    context.Response.Headers.RetryAfter = "10";
                    context.Response.ContentType = "text/html; charset=utf-8";
                    var styles = context
                        .RequestServices.GetRequiredService<IFileVersionProvider>()
                        .AddFileVersionToPath(context.Request.PathBase, "/built/rostrum.css");
                    await context.Response.WriteAsync(Page.Replace("{0}", styles, StringComparison.Ordinal), context.RequestAborted);
                }
            }
        );

    [LoggerMessage(Level = LogLevel.Error, Message = "The store cannot be reached")]
    private static partial void CouldNotReach(ILogger log, Exception failure);
}
