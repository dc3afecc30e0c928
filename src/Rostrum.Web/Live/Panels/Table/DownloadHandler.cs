using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Store;
using Rostrum.Web.People.Auditing;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>What a table shows, all its pages, as a file.</summary>
[Handles("GET", "Download")]
internal sealed class DownloadHandler(Audit audit) : TableHandler
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

        var count = view.Rows.Count is { } all ? $"{all.Said(page.Run.Format.Culture)} " : "";
        await audit.WriteAsync(
            AuditKind.Exports,
            view.Dataset.Label,
            $"Downloaded {count}{view.Dataset.LabelInSentence} from {page.App.Definition.Name}, {page.Current.Name}.",
            cancellation
        );
        var today = TimeZoneInfo.ConvertTime(page.Run.Context.Now, page.Run.Format.Zone);
        return new TableFile(view, $"{view.Dataset.Name} {today:yyyy-MM-dd}.csv");
    }
}
