using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Web.Live.Panels.Cards;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.Live.Panels;

/// <summary>The rows that follow, for a list that goes on by scrolling.</summary>
[Handles("GET", "Rows")]
internal sealed class RowsHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not ListPanel list)
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        return (await new PageReading(page.Run).ReadAsync(list, cancellation)).Content switch
        {
            TableView { Rows: not null } table => page.Partial("/Live/Panels/Table/_Rows.cshtml", table),
            CardsView { Rows: not null } cards => page.Partial("/Live/Panels/Cards/_CardItems.cshtml", cards),
            _ => new NoContentResult(),
        };
    }
}
