using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Board;

/// <summary>The cards that follow in a column of a board, as they come into view.</summary>
[Handles("GET", "Cards")]
internal sealed class CardsHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not BoardPanel panel || page.Number("at") is not { } shown)
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        return
            await new PageReading(page.Run).IsThereAsync(panel, cancellation)
            && await BoardReader.MoreAsync(
                page.Run,
                panel,
                page.Value("field"),
                page.Value("lane") is { Length: > 0 } lane ? lane : null,
                shown,
                cancellation
            )
                is { } more
            ? page.Partial("/Live/Panels/Board/_BoardCards.cshtml", more)
            : new NoContentResult();
    }
}
