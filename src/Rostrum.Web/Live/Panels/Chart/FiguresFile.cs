using System.Collections.Immutable;
using System.Text;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Imports;

namespace Rostrum.Web.Live.Panels.Chart;

/// <summary>Figures as a file for a spreadsheet (RFC 4180, UTF-8).</summary>
internal static class FiguresFile
{
    /// <param name="run">The look at the page.</param>
    /// <param name="panel">The panel's name.</param>
    /// <param name="lines">The lines, that of headings first.</param>
    public static FileContentResult Of(PageRun run, string panel, IEnumerable<ImmutableArray<string>> lines)
    {
        using var file = new MemoryStream();
        file.Write(Encoding.UTF8.Preamble);
        using (var csv = CsvWriter.Create(file, leaveOpen: true))
        {
            foreach (var line in lines)
            {
                foreach (var cell in line)
                {
                    csv.WriteField(SpreadsheetText.Harmless(cell));
                }

                csv.EndRecord();
            }
        }

        return new FileContentResult(file.ToArray(), "text/csv; charset=utf-8")
        {
            FileDownloadName = $"{panel} {run.Context.Today:yyyy-MM-dd}.csv",
        };
    }
}
