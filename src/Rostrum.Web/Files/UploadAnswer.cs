using Microsoft.AspNetCore.Mvc;

namespace Rostrum.Web.Files;

/// <summary>What the browser is told of a file that it sent.</summary>
internal static class UploadAnswer
{
    public static IActionResult Of(Upload upload) =>
        upload switch
        {
            Upload.Kept kept => new JsonResult(
                new { file = kept.File, small = kept.Small is null ? null : $"data:image/webp;base64,{Convert.ToBase64String(kept.Small)}" }
            ),
            Upload.Refused refused => new JsonResult(new { problem = refused.Because }),
            _ => throw new InvalidOperationException("unknown result"),
        };
}
