using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels.Charts;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>A chart's figures as a file.</summary>
[Handles("GET", "Figures")]
internal sealed class FiguresHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not ChartPanel panel)
        {
            return page.NotFound();
        }

        if (page.Run.ForDownload(page.Run.DatasetOf(panel)) is not { } run)
        {
            return page.StatusCode(StatusCodes.Status403Forbidden);
        }

        await run.PrepareAsync(cancellation);
        return (await new PageReading(run).ReadAsync(panel, cancellation)).Content is ChartView { Because: null, IsEmpty: false } view
            ? FiguresFile.Of(run, panel.Name, ChartTable.Of(view, exact: true).Lines)
            : page.NotFound();
    }
}
