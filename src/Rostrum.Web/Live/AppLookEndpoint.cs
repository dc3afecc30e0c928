using System.Globalization;
using System.Text;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;
using Rostrum.Web.People;

namespace Rostrum.Web.Live;

/// <summary>An app's own look as a style sheet: a few of the measures and colours by which everything is drawn.</summary>
internal static class AppLookEndpoint
{
    public static void MapAppLook(this IEndpointRouteBuilder routes) =>
        routes
            .MapGet(
                "/look/{app}/{version}.css",
                async (
                    string app,
                    string version,
                    PublishedApps apps,
                    CurrentPerson person,
                    HttpContext context,
                    CancellationToken cancellation
                ) =>
                {
                    if (version == "draft" && !await person.MayBuildAsync(app, cancellation))
                    {
                        return Results.StatusCode(StatusCodes.Status403Forbidden);
                    }

                    var running = version == "draft" ? await apps.DraftAsync(app, cancellation) : await apps.LiveAsync(app, cancellation);
                    if (running?.Definition.Look is not { } look)
                    {
                        return Results.NotFound();
                    }

                    // A version's look is its own for ever; that of the one after it may come in its place while somebody has the older
                    // one open.
                    context.Response.Headers.CacheControl =
                        running.Version?.ToString(CultureInfo.InvariantCulture) == version
                            ? "private, max-age=31536000, immutable"
                            : "no-store";
                    return Results.Text(StyleOf(look), "text/css", Encoding.UTF8);
                }
            )
            .RequireAuthorization();

    /// <summary>The address of an app's style sheet; null where it has no look of its own.</summary>
    public static string? LookAddress(this RunningApp app) =>
        app.Definition.Look is null ? null : $"/look/{app.Address}/{app.Version?.ToString(CultureInfo.InvariantCulture) ?? "draft"}.css";

    internal static string StyleOf(AppLook look)
    {
        var style = new StringBuilder(":root{");
        style.Append(look.LargeHeader ? "--masthead:64px;" : "");
        style.Append(
            look.Corners switch
            {
                Corners.Square => "--corner:0;",
                Corners.Round => "--corner:8px;",
                _ => "",
            }
        );
        style.Append(
            look.Density switch
            {
                Density.Compact => "--row:28px;",
                Density.Comfortable => "--row:42px;",
                _ => "",
            }
        );
        style.Append('}');
        if (look.Colours is { } colours)
        {
            string Of((Colour Accent, Colour Wash, Colour On) of) => $"--pine:{of.Accent};--pine-wash:{of.Wash};--on-pine:{of.On};";
            style.Append(":root,:root[data-theme=\"light\"]{").Append(Of(colours.Light)).Append('}');
            style.Append("@media(prefers-color-scheme:dark){:root:not([data-theme=\"light\"]){").Append(Of(colours.Dark)).Append("}}");
            style.Append(":root[data-theme=\"dark\"]{").Append(Of(colours.Dark)).Append('}');
        }

        return style.ToString();
    }
}
