using System.Globalization;
using System.Runtime.CompilerServices;
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
internal sealed class TableFile(TableView view, string name) : CsvFile(name)
{
    // In few reads: where no index has the order, each of them sorts the whole table.
    private const int AtOnce = 10_000;

    protected override async IAsyncEnumerable<IEnumerable<string>> LinesAsync(
        HttpContext http,
        [EnumeratorCancellation] CancellationToken cancellation
    )
    {
        yield return view.Columns.Select(column => Harmless(column.Label));
        var run = view.Run;
        await foreach (var page in run.Gate.PagesAsync(run.App.Datasets, view.Request, AtOnce, run.Grants, cancellation))
        {
            if (page is not ReadResult.Rows rows)
            {
                BreakOff(http);
                yield break;
            }

            foreach (var record in rows.Records)
            {
                yield return view.Columns.Select(column => Text(column, record));
            }
        }
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
}
