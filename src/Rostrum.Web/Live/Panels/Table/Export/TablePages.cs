using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Panels.Table.Export;

/// <summary>All records that a table shows, on any of its pages.</summary>
internal static class TablePages
{
    // So many values are held at a time. Where each part is a read of its own, it sorts the whole table if no index has the order.
    private const int ValuesAtOnce = 100_000;
    private const int FewestAtOnce = 2_000;
    private const int MostAtOnce = 20_000;

    /// <summary>The records, many at a time. It ends with null where they can no longer be read.</summary>
    public static async IAsyncEnumerable<IReadOnlyList<Record>?> ReadAsync(
        TableView view,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation
    )
    {
        var run = view.Run;
        var atOnce = Math.Clamp(ValuesAtOnce / Math.Max(1, view.Columns.Length), FewestAtOnce, MostAtOnce);
        await foreach (var page in run.Gate.PagesAsync(run.App.Datasets, view.Request, atOnce, run.Grants, cancellation))
        {
            if (page is not ReadResult.Rows rows)
            {
                yield return null;
                yield break;
            }

            yield return rows.Records;
        }
    }

    /// <summary>A value as it stands in a cell of a spreadsheet: as people read it, and JSON and formatted texts as they are.</summary>
    public static string Text(TableColumn column, Record record, RecordFormat format) =>
        (column.Field.Type is FieldType.Json || column.Field.Format is DisplayFormat.RichText) && record[column.Field.Name] is string text
            ? text
            : column.Display(record, format);

    /// <summary>A value of a record as a program reads it; null where people read it: a title, a label, a text, or a file.</summary>
    public static object? Plain(TableColumn column, Record record, TimeZoneInfo zone) =>
        column.Relation is not null || record[column.Field.Name] is not { } value
            ? null
            : value switch
            {
                string or Unreadable or byte[] => null,
                DateTimeOffset instant => TimeZoneInfo.ConvertTime(instant, zone).DateTime,
                _ => value,
            };
}
