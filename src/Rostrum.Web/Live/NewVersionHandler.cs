using Microsoft.AspNetCore.Mvc;

namespace Rostrum.Web.Live;

/// <summary>Whether a newer version than the one that somebody has open is live.</summary>
[Handles("GET", "Version")]
internal sealed class NewVersionHandler : LiveHandler
{
    public override Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        Task.FromResult<IActionResult>(
            page.App.Version is { } live && live > (page.Number("version") ?? int.MaxValue)
                ? page.Partial("/Live/_NewVersion.cshtml", page)
                : new NoContentResult()
        );
}
