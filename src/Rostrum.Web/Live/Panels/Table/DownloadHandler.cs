using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>What a table shows, all its pages, as a file.</summary>
[Handles("GET", "Download")]
internal sealed class DownloadHandler : TableHandler
{
    protected override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
    {
        if (!table.AllowDownload || page.App.Datasets.Find(table.Dataset) is not { } dataset)
        {
            return page.NotFound();
        }

        if (page.Run.ForDownload(dataset) is not { } run)
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        await run.PrepareAsync(cancellation);
        if (await new PageReading(run).ReadAsync(table, cancellation) is not { Content: TableView { Rows: not null } view })
        {
            return page.NotFound();
        }

        var today = TimeZoneInfo.ConvertTime(page.Run.Context.Now, page.Run.Format.Zone);
        return new TableFile(view, $"{view.Dataset.Name} {today:yyyy-MM-dd}.csv");
    }
}
