using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Refreshing;

/// <summary>What a page shows of records, read again; what a person enters stays as it is.</summary>
[Handles("GET", "Refresh")]
internal sealed class RefreshHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        await page.PrepareAsync(cancellation);
        return await page.PartsAsync(Shown(page.Current), withSheet: false, cancellation);
    }

    /// <summary>The panels that show something that is read.</summary>
    public static IEnumerable<string> Shown(Page page) =>
        page
            .All.Where(panel => panel is not (FormPanel or InputPanel or ButtonPanel or LinksPanel) && !panel.IsContainer)
            .Select(panel => panel.Name);
}
