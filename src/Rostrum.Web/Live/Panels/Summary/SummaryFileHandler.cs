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

        await page.PrepareAsync(cancellation);
        return (await new PageReading(page.Run).ReadAsync(panel, cancellation)).Content is SummaryView { Table: not null } view
            ? FiguresFile.Of(page.Run, panel.Name, view.Lines())
            : page.NotFound();
    }
}
