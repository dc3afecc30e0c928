using System.Text;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>Lines as a file for a spreadsheet (RFC 4180, UTF-8), sent while they are made, however many they are.</summary>
/// <param name="name">The file's name.</param>
internal abstract class CsvFile(string name) : FileResult("text/csv; charset=utf-8")
{
    private const int AtOnce = 1_000;
    private bool _isBrokenOff;

    public sealed override async Task ExecuteResultAsync(ActionContext context)
    {
        var (http, cancellation) = (context.HttpContext, context.HttpContext.RequestAborted);
        http.Response.SaysAttachment(ContentType, name);
        await http.Response.Body.WriteAsync(Encoding.UTF8.Preamble.ToArray(), cancellation);
        var lines = new List<IEnumerable<string>>();
        await foreach (var line in LinesAsync(http, cancellation))
        {
            lines.Add(line);
            if (lines.Count == AtOnce)
            {
                await SendAsync(http.Response, lines, cancellation);
            }
        }

        if (!_isBrokenOff)
        {
            await SendAsync(http.Response, lines, cancellation);
        }
    }

    /// <summary>Ends it so that nobody takes a part for the whole: the lines must end here.</summary>
    protected void BreakOff(HttpContext http)
    {
        _isBrokenOff = true;
        http.Abort();
    }

    /// <summary>The lines, that of headings first.</summary>
    protected abstract IAsyncEnumerable<IEnumerable<string>> LinesAsync(HttpContext http, CancellationToken cancellation);

    // The library writes at once what it is given; the answer is written without holding a thread.
    private static async Task SendAsync(HttpResponse response, List<IEnumerable<string>> lines, CancellationToken cancellation)
    {
        using var part = new MemoryStream();
        using (var csv = CsvWriter.Create(part, leaveOpen: true))
        {
            foreach (var line in lines)
            {
                foreach (var cell in line)
                {
                    csv.WriteField(cell);
                }

                csv.EndRecord();
            }
        }

        lines.Clear();
        part.Position = 0;
        await part.CopyToAsync(response.Body, cancellation);
    }
}
