using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>What stands in a table's menu: its columns, views and files.</summary>
[Handles("GET", "ViewMenu")]
internal sealed class ViewMenuHandler : TableHandler
{
    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation) =>
        !page.Run.IsPublic && (await new PageReading(page.Run).ReadAsync(table, cancellation)).Content is TableView view
            ? page.Partial("/Live/Panels/Table/_ViewMenuItems.cshtml", view)
            : page.NotFound();
}
