using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.Net.Http.Headers;
using Rostrum.Core.Files;
using Rostrum.Store;

namespace Rostrum.Web.Files;

/// <summary>Sends files so that nothing in them can run: what a browser does not show safely is downloaded.</summary>
internal static class FileServing
{
    // PDF is shown by a viewer of the browser's own, which a sandbox keeps away.
    private const string Nothing = "default-src 'none'; style-src 'unsafe-inline'; img-src 'self'; media-src 'self'; object-src 'self'";

    public static async Task<IActionResult> ServeAsync(
        this PageModel page,
        FileStore files,
        FileReference file,
        bool small,
        bool download,
        CancellationToken cancellation
    )
    {
        if (await files.FindAsync(file.Hash, cancellation) is not { } stored)
        {
            return page.NotFound();
        }

        var headers = page.Response.Headers;
        headers.ContentSecurityPolicy = stored.Type is "application/pdf" ? Nothing : $"{Nothing}; sandbox";
        headers.CacheControl = "private, max-age=86400, immutable";
        var tag = new EntityTagHeaderValue($"\"{file.Hash}{(small ? "-small" : "")}\"");
        if (small)
        {
            return stored.Small is { } picture
                ? new FileContentResult(picture, "image/webp") { EntityTag = tag, LastModified = stored.At }
                : page.NotFound();
        }

        var shown = MediaTypes.IsShown(stored.Type) && !download;
        headers.ContentDisposition = new ContentDispositionHeaderValue(shown ? "inline" : "attachment")
        {
            FileNameStar = file.Name,
        }.ToString();
        try
        {
            return new FileStreamResult(await files.OpenAsync(stored, cancellation), Served(stored.Type, shown))
            {
                EnableRangeProcessing = true,
                EntityTag = tag,
                LastModified = stored.At,
            };
        }
        catch (FileStoreException)
        {
            return page.StatusCode(StatusCodes.Status503ServiceUnavailable);
        }
    }

    private static string Served(string type, bool shown) =>
        !shown ? MediaTypes.Unknown
        : type is "text/plain" ? "text/plain; charset=utf-8"
        : type;
}
