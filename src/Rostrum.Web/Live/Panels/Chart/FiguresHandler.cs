using System.Text;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>A chart's figures as a file for a spreadsheet (RFC 4180, UTF-8).</summary>
[Handles("GET", "Figures")]
internal sealed class FiguresHandler : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (page.Named is not ChartPanel panel)
        {
            return page.NotFound();
        }

        await page.PrepareAsync(cancellation);
        var shown = await new PageReading(page.Run).ReadAsync(panel, cancellation);
        if (shown.Content is not ChartView { Because: null, IsEmpty: false } view)
        {
            return page.NotFound();
        }

        var day = TimeZoneInfo.ConvertTime(page.Run.Context.Now, page.Run.Format.Zone);
        return new FileContentResult(Csv(view), "text/csv; charset=utf-8") { FileDownloadName = $"{panel.Name} {day:yyyy-MM-dd}.csv" };
    }

    private static byte[] Csv(ChartView view)
    {
        using var file = new MemoryStream();
        file.Write(Encoding.UTF8.Preamble);
        using (var csv = CsvWriter.Create(file, leaveOpen: true))
        {
            foreach (var line in ChartTable.Of(view, exact: true).Lines)
            {
                foreach (var cell in line)
                {
                    csv.WriteField(TableFile.Harmless(cell));
                }

                csv.EndRecord();
            }
        }

        return file.ToArray();
    }
}
