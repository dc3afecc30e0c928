using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>What a table shows, all its pages, as a file.</summary>
[Handles("GET", "Download")]
internal sealed class DownloadHandler : TableHandler
{
    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        if (
            !table.AllowDownload
            || await new PageReading(page.Run).ReadAsync(table, cancellation) is not { Content: TableView { Rows: not null } view }
        )
        {
            return page.NotFound();
        }

        var today = TimeZoneInfo.ConvertTime(page.Run.Context.Now, page.Run.Format.Zone);
        return new TableFile(view, $"{view.Dataset.Name} {today:yyyy-MM-dd}.csv");
    }
}
