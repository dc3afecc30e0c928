using Microsoft.AspNetCore.Mvc;

namespace Rostrum.Web.Live;

/// <summary>Lets a preview of a draft change real records, or lets it no longer. It is kept for as long as the browser is open.</summary>
[Handles("POST", "Changes")]
internal sealed class PreviewHandler : LiveHandler
{
    public const string Cookie = "preview-changes";
    public const string Allowed = "allowed";

    /// <summary>What is said where something would be changed before the builder has allowed it.</summary>
    public const string ReadOnly = "Nothing was saved: this preview is read-only. Choose “Allow changes” above to change real records.";

    public override Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (!page.IsDraft)
        {
            return Task.FromResult<IActionResult>(page.NotFound());
        }

        page.Response.Cookies.Append(
            Cookie,
            page.Value("allow") == "yes" ? Allowed : "",
            new CookieOptions
            {
                HttpOnly = true,
                SameSite = SameSiteMode.Strict,
                Secure = page.Request.IsHttps,
                Path = "/try",
            }
        );
        return Task.FromResult<IActionResult>(new RedirectResult(page.Run.State.At(page.Path)));
    }
}
