using System.Globalization;
using System.Runtime.CompilerServices;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>
/// What a table shows as a file for a spreadsheet: the columns that the person sees, the records that fit, in their order (RFC 4180,
/// UTF-8).
/// </summary>
/// <remarks>Numbers and dates are written so that a program can read them; texts that a spreadsheet would take for formulas are made
/// harmless. It is sent while it is read, however long it is. Where the records can no longer be read, the download breaks off, so that
/// nobody takes a part for the whole.</remarks>
internal sealed class TableFile(TableView view, string name) : CsvFile(name)
{
    protected override async IAsyncEnumerable<IEnumerable<string>> LinesAsync(
        HttpContext http,
        [EnumeratorCancellation] CancellationToken cancellation
    )
    {
        yield return view.Columns.Select(column => SpreadsheetText.Harmless(column.Label));
        await foreach (var page in TablePages.ReadAsync(view, cancellation))
        {
            if (page is null)
            {
                BreakOff(http);
                yield break;
            }

            foreach (var record in page)
            {
                yield return view.Columns.Select(column => Text(column, record));
            }
        }
    }

    private string Text(TableColumn column, Record record) =>
        TablePages.Plain(column, record, view.Run.Format.Zone) switch
        {
            DateOnly date => date.ToString("O", CultureInfo.InvariantCulture),
            DateTime moment => moment.ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
            IFormattable number and not TimeSpan => number.ToString(null, CultureInfo.InvariantCulture),
            _ => SpreadsheetText.Harmless(TablePages.Text(column, record, view.Run.Format)),
        };
}
