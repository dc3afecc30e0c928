using System.Globalization;
using System.Text;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.Net.Http.Headers;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>
/// What a table shows as a file for a spreadsheet: the columns that the person sees, the records that fit, in their order (RFC 4180,
/// UTF-8).
/// </summary>
/// <remarks>Numbers and dates are written so that a program can read them; texts that a spreadsheet would take for formulas are made
/// harmless. It is sent while it is read, however long it is. Where the records can no longer be read, the download breaks off, so that
/// nobody takes a part for the whole.</remarks>
internal sealed class TableFile(TableView view, string name) : FileResult("text/csv; charset=utf-8")
{
    // In few reads: where no index has the order, each of them sorts the whole table.
    private const int AtOnce = 10_000;

    public override async Task ExecuteResultAsync(ActionContext context)
    {
        var http = context.HttpContext;
        var disposition = new ContentDispositionHeaderValue("attachment");
        disposition.SetHttpFileName(name);
        http.Response.ContentType = ContentType;
        http.Response.Headers.ContentDisposition = disposition.ToString();
        await http.Response.Body.WriteAsync(Encoding.UTF8.Preamble.ToArray(), http.RequestAborted);
        await SendAsync(
            http.Response.Body,
            csv => WriteLine(csv, view.Columns.Select(column => Harmless(column.Label))),
            http.RequestAborted
        );
        PageWindow window = new PageWindow.FromStart(0, AtOnce);
        for (var written = 0; ; )
        {
            var request = view.Request with { Window = window, Counted = false };
            if (
                await view.Run.Gate.ReadAsync(view.Run.App.Datasets, request, view.Run.Grants, http.RequestAborted)
                is not ReadResult.Rows rows
            )
            {
                http.Abort();
                return;
            }

            await SendAsync(
                http.Response.Body,
                csv =>
                {
                    foreach (var record in rows.Records)
                    {
                        WriteLine(csv, view.Columns.Select(column => Text(column, record)));
                    }
                },
                http.RequestAborted
            );
            written += rows.Records.Length;
            if (!rows.HasLater || rows.Records.IsEmpty)
            {
                return;
            }

            window = rows.Last is { } last ? new PageWindow.After(last, AtOnce) : new PageWindow.FromStart(written, AtOnce);
        }
    }

    // The library writes at once what it is given; the answer is written without holding a thread.
    private static async Task SendAsync(Stream to, Action<CsvWriter> write, CancellationToken cancellation)
    {
        using var part = new MemoryStream();
        using (var csv = CsvWriter.Create(part, leaveOpen: true))
        {
            write(csv);
        }

        part.Position = 0;
        await part.CopyToAsync(to, cancellation);
    }

    private static void WriteLine(CsvWriter csv, IEnumerable<string> cells)
    {
        foreach (var cell in cells)
        {
            csv.WriteField(cell);
        }

        csv.EndRecord();
    }

    private string Text(TableColumn column, Record record) =>
        column.Relation is null && record[column.Field.Name] is { } value
            ? value switch
            {
                bool or string or Unreadable or byte[] => Harmless(column.Display(record, view.Run.Format)),
                DateOnly date => date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
                DateTimeOffset instant => TimeZoneInfo
                    .ConvertTime(instant, view.Run.Format.Zone)
                    .ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
                DateTime local => local.ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
                IFormattable number => number.ToString(null, CultureInfo.InvariantCulture),
                _ => Harmless(column.Display(record, view.Run.Format)),
            }
            : Harmless(column.Display(record, view.Run.Format));

    // A spreadsheet takes what begins so for a formula.
    public static string Harmless(string text) => text is ['=' or '+' or '-' or '@' or '\t' or '\r', ..] ? "'" + text : text;
}
