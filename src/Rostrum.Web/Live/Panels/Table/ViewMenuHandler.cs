using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>What stands in a table's menu: its columns, views and files.</summary>
[Handles("GET", "ViewMenu")]
internal sealed class ViewMenuHandler : TableHandler
{
    protected override Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation) =>
        Task.FromResult<IActionResult>(
            page.Run.IsPublic
                ? page.NotFound()
                : page.Partial(
                    "/Live/Panels/Table/_ViewMenuItems.cshtml",
                    TableReader.Arranged(page.Run, (TablePanel)page.Run.Computed(table))
                )
        );
}
