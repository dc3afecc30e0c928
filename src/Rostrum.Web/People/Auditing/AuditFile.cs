using System.Globalization;
using System.Text;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.Net.Http.Headers;
using Rostrum.Web.Live.Panels.Table;

namespace Rostrum.Web.People.Auditing;

/// <summary>Entries as a file for a spreadsheet (RFC 4180, UTF-8), sent while they are read, however many they are.</summary>
/// <param name="name">The file's name.</param>
/// <param name="headings">The columns.</param>
/// <param name="rows">The entries.</param>
internal sealed class AuditFile(string name, string[] headings, IAsyncEnumerable<string[]> rows) : FileResult("text/csv; charset=utf-8")
{
    private const int AtOnce = 1_000;

    /// <summary>A moment as programs read it.</summary>
    public static string At(DateTimeOffset at) => at.UtcDateTime.ToString("yyyy-MM-dd HH:mm:ss'Z'", CultureInfo.InvariantCulture);

    public override async Task ExecuteResultAsync(ActionContext context)
    {
        var (response, cancellation) = (context.HttpContext.Response, context.HttpContext.RequestAborted);
        var disposition = new ContentDispositionHeaderValue("attachment");
        disposition.SetHttpFileName(name);
        (response.ContentType, response.Headers.ContentDisposition) = (ContentType, disposition.ToString());
        await response.Body.WriteAsync(Encoding.UTF8.Preamble.ToArray(), cancellation);
        var part = new List<string[]> { headings };
        await foreach (var row in rows.WithCancellation(cancellation))
        {
            part.Add(row);
            if (part.Count == AtOnce)
            {
                await SendAsync(response, part, cancellation);
            }
        }

        await SendAsync(response, part, cancellation);
    }

    // The library writes at once what it is given; the answer is written without holding a thread.
    private static async Task SendAsync(HttpResponse response, List<string[]> rows, CancellationToken cancellation)
    {
        using var text = new MemoryStream();
        using (var csv = CsvWriter.Create(text, leaveOpen: true))
        {
            foreach (var row in rows)
            {
                foreach (var cell in row)
                {
                    csv.WriteField(TableFile.Harmless(cell));
                }

                csv.EndRecord();
            }
        }

        rows.Clear();
        text.Position = 0;
        await text.CopyToAsync(response.Body, cancellation);
    }
}
