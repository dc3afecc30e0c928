using Microsoft.AspNetCore.Mvc;
using MiniExcelLibs;
using MiniExcelLibs.Attributes;
using MiniExcelLibs.OpenXml;
using Rostrum.Core.Datasets;
using Rostrum.Web.Shared;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>
/// What a table shows as a workbook (ECMA-376): numbers, days and moments as such, columns in their widths, the headings held in place.
/// </summary>
/// <remarks>It is made in a file of its own, a page of records at a time, since a workbook ends with its table of contents. Where the
/// records can no longer be read, nothing is sent.</remarks>
internal sealed class XlsxFile(TableView view, string name) : FileResult(MediaType)
{
    public const string MediaType = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";
    private const int Narrowest = 10;
    private const int Widest = 60;
    private const int LongestCell = 32_767;

    public override async Task ExecuteResultAsync(ActionContext context)
    {
        var (http, cancellation) = (context.HttpContext, context.HttpContext.RequestAborted);
        await using var file = TemporaryFile.Create();
        var rows = new Rows(view);
        await MiniExcel.SaveAsAsync(
            file,
            rows.ReadAsync(cancellation),
            sheetName: Sheet(view.Dataset.Label),
            configuration: new OpenXmlConfiguration
            {
                AutoFilter = false,
                FreezeRowCount = 1,
                TableStyles = TableStyles.None,
                DynamicColumns = [.. view.Columns.Select(Column)],
            },
            cancellationToken: cancellation
        );
        if (rows.IsBrokenOff)
        {
            http.Response.StatusCode = StatusCodes.Status503ServiceUnavailable;
            return;
        }

        http.Response.SaysAttachment(ContentType, name);
        http.Response.ContentLength = file.Length;
        file.Position = 0;
        await file.CopyToAsync(http.Response.Body, cancellation);
    }

    private static string Key(int at) => $"c{at}";

    private DynamicExcelColumn Column(TableColumn column, int at) =>
        new(Key(at))
        {
            Name = column.Label,
            Index = at,
            Width = Math.Clamp(column.Width ?? Shown(column), Narrowest, Widest),
            Format = column.Relation is not null
                ? null
                : column.Field.Type switch
                {
                    FieldType.Date => "yyyy-mm-dd",
                    FieldType.Moment => "yyyy-mm-dd hh:mm:ss",
                    _ => null,
                },
        };

    // As wide as the values of the first page.
    private int Shown(TableColumn column) =>
        view.Rows!.Records.Select(record => column.Display(record, view.Run.Format).Length).Append(column.Label.Length).Max() + 2;

    // At most 31 characters, without those that its formulas need.
    private static string Sheet(string label)
    {
        var known = string.Concat(label.Select(letter => "[]:*?/\\'".Contains(letter) ? ' ' : letter)).Trim();
        return known.Length == 0 ? "Records"
            : known.Length > 31 ? known[..31]
            : known;
    }

    private sealed class Rows(TableView view)
    {
        public bool IsBrokenOff { get; private set; }

        public async IAsyncEnumerable<IDictionary<string, object?>> ReadAsync(
            [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
        )
        {
            await foreach (var page in TablePages.ReadAsync(view, cancellation))
            {
                if (page is null)
                {
                    IsBrokenOff = true;
                    yield break;
                }

                foreach (var record in page)
                {
                    var row = new Dictionary<string, object?>(view.Columns.Length);
                    for (var at = 0; at < view.Columns.Length; at++)
                    {
                        row[Key(at)] = Value(view.Columns[at], record);
                    }

                    yield return row;
                }
            }
        }

        private object? Value(TableColumn column, Record record) =>
            TablePages.Plain(column, record, view.Run.Format.Zone) switch
            {
                DateOnly day when day.Year >= 1900 => day.ToDateTime(TimeOnly.MinValue),
                DateTime { Year: >= 1900 } moment => moment,
                var plain and (bool or long or int or decimal or double) => plain,
                _ => Text(TablePages.Text(column, record, view.Run.Format)),
            };

        private static string? Text(string text) =>
            text.Length == 0 ? null
            : text.Length > LongestCell ? text[..LongestCell]
            : text;
    }
}
