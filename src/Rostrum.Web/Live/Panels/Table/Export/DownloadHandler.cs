using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels;
using Rostrum.Store;
using Rostrum.Web.People.Auditing;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>What leaves a table, all its pages: as a file, or to be printed.</summary>
internal abstract class ExportHandler(Audit audit) : TableHandler
{
    protected sealed override async Task<IActionResult> AnswerAsync(AppPageModel page, TablePanel table, CancellationToken cancellation)
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
        if (await new PageReading(run).ReadAsync(table, cancellation) is not { Content: TableView { Rows: not null } view } shown)
        {
            return page.NotFound();
        }

        var (answer, how) = await AnswerAsync(page, shown, view, cancellation);
        var count = view.Rows.Count is { } all ? $"{all.Said(page.Run.Format.Culture)} " : "";
        await audit.WriteAsync(
            AuditKind.Exports,
            view.Dataset.Label,
            $"{how} {count}{view.Dataset.LabelInSentence} from {page.App.Definition.Name}, {page.Current.Name}.",
            cancellation
        );
        return answer;
    }

    /// <summary>The answer, and how the audit says what was done.</summary>
    protected abstract Task<(IActionResult Answer, string How)> AnswerAsync(
        AppPageModel page,
        PanelView shown,
        TableView view,
        CancellationToken cancellation
    );
}

/// <summary>What a table shows, all its pages, as a file.</summary>
[Handles("GET", "Download")]
internal sealed class DownloadHandler(Audit audit) : ExportHandler(audit)
{
    protected override Task<(IActionResult Answer, string How)> AnswerAsync(
        AppPageModel page,
        PanelView shown,
        TableView view,
        CancellationToken cancellation
    )
    {
        // A program that reads the file goes by the fields' names, which a builder does not reword.
        if (page.Value("headings") == "names")
        {
            view = view with { Columns = [.. view.Columns.Select(column => column with { Label = column.Field.Name.Value })] };
        }

        var today = TimeZoneInfo.ConvertTime(page.Run.Context.Now, page.Run.Format.Zone);
        var name = $"{view.Dataset.Name} {today:yyyy-MM-dd}";
        return Task.FromResult<(IActionResult, string)>(
            page.Value("format") switch
            {
                "xlsx" => (new XlsxFile(view, $"{name}.xlsx"), "Downloaded as XLSX"),
                "json" => (new JsonFile(view, $"{name}.json"), "Downloaded as JSON"),
                _ => (new TableFile(view, $"{name}.csv"), "Downloaded"),
            }
        );
    }
}
