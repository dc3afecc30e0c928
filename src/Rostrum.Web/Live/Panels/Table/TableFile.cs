using System.Globalization;
using System.Text;
using CsvHelper;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table;

/// <summary>
/// What a table shows as a file for a spreadsheet: the columns that the person sees, the records that fit, in their order (RFC 4180,
/// UTF-8).
/// </summary>
/// <remarks>Numbers and dates are written so that a program can read them; texts that a spreadsheet would take for formulas are made
/// harmless.</remarks>
internal static class TableFile
{
    private const int AtOnce = 1000;
    private const int Most = 100_000;

    public static async Task<byte[]> WriteAsync(TableView view, CancellationToken cancellation)
    {
        using var bytes = new MemoryStream();
        bytes.Write(Encoding.UTF8.Preamble);
        using (var csv = CsvWriter.Create(bytes, leaveOpen: true))
        {
            foreach (var column in view.Columns)
            {
                csv.WriteField(Harmless(column.Label));
            }

            csv.EndRecord();
            PageWindow window = new PageWindow.FromStart(0, AtOnce);
            for (var written = 0; written < Most;)
            {
                if (await view.Run.Gate.ReadAsync(
                    view.Run.App.Datasets,
                    view.Request with { Window = window, Counted = false },
                    view.Run.Grants,
                    cancellation) is not ReadResult.Rows rows)
                {
                    throw new InvalidOperationException("the records could be read a moment ago");
                }

                foreach (var record in rows.Records)
                {
                    foreach (var column in view.Columns)
                    {
                        csv.WriteField(Text(view, column, record));
                    }

                    csv.EndRecord();
                }

                written += rows.Records.Length;
                if (!rows.HasLater || rows.Records.IsEmpty)
                {
                    break;
                }

                window = rows.Last is { } last ? new PageWindow.After(last, AtOnce) : new PageWindow.FromStart(written, AtOnce);
            }
        }

        return bytes.ToArray();
    }

    private static string Text(TableView view, TableColumn column, Record record) =>
        column.Relation is null && record[column.Field.Name] is { } value ? value switch
        {
            bool or string or Unreadable or byte[] => Harmless(column.Display(record, view.Run.Format)),
            DateOnly date => date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            DateTimeOffset instant =>
                TimeZoneInfo.ConvertTime(instant, view.Run.Format.Zone).ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
            DateTime local => local.ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture),
            IFormattable number => number.ToString(null, CultureInfo.InvariantCulture),
            _ => Harmless(column.Display(record, view.Run.Format)),
        } : Harmless(column.Display(record, view.Run.Format));

    // A spreadsheet takes what begins so for a formula.
    private static string Harmless(string text) => text is ['=' or '+' or '-' or '@' or '\t' or '\r', ..] ? "'" + text : text;
}
