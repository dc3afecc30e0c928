using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Web.Live.Panels.Chart;

namespace Rostrum.Web.Live.Panels.Summary;

/// <summary>A summary table as a file for a spreadsheet.</summary>
[Handles("GET", "Summary")]
internal sealed class SummaryFileHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not SummaryPanel { AllowDownload: true } panel)
        {
            return page.NotFound();
        }

        if (page.Run.ForDownload(page.Run.DatasetOf(panel)) is not { } run)
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        await run.PrepareAsync(cancellation);
        return (await new PageReading(run).ReadAsync(panel, cancellation)).Content is SummaryView { Table: not null } view
            ? FiguresFile.Of(run, panel.Name, view.Lines())
            : page.NotFound();
    }
}
