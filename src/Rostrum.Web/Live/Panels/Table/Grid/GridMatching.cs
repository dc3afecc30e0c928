using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Web.Bulk;

namespace Rostrum.Web.Live.Panels.Table.Grid;

/// <summary>
/// New rows of a table that finds records by fields which its builder names: where a record has a row’s values in all of these, the row
/// changes that record.
/// </summary>
internal static class GridMatching
{
    /// <summary>The rows with what they amount to now, and those of which it is not clear which record they mean, with why.</summary>
    /// <exception cref="TimeoutException">The source does not say what is there.</exception>
    public static async Task<(RowToSave[] Rows, Dictionary<string, string> Unclear)> OfAsync(
        TableView view,
        RowToSave[] rows,
        CancellationToken cancellation
    )
    {
        var (dataset, fields, unclear) = (view.Dataset, view.Panel.MatchBy, new Dictionary<string, string>());
        var added = rows.Where(row => row.Change is Change.Insert insert && HasAll(insert.Values)).ToArray();
        if (fields.IsEmpty || added.Length == 0)
        {
            return (rows, unclear);
        }

        FieldName[] typed = [.. added.SelectMany(row => ((Change.Insert)row.Change).Values.Fields).Distinct()];
        var match = new MatchedRecords(dataset, fields, [.. typed.Where(view.Grant.Readable.Has)]);
        FieldValues[] wanted = [.. added.Select(row => ((Change.Insert)row.Change).Values)];
        var there = await match.ThereAsync(view.Run.Gate, view.Run.App.Datasets, wanted, view.Run.Grants, cancellation);
        var (found, seen) = (new Dictionary<string, Change>(), new HashSet<string>(StringComparer.Ordinal));
        foreach (var (row, values) in added.Zip(wanted))
        {
            var records = there.GetValueOrDefault(match.Of(values), []);
            if (!seen.Add(match.Of(values)))
            {
                unclear.Add(row.Key, $"Another new row is of the same {dataset.RecordLabel}.");
            }
            else if (records.Count > 1)
            {
                unclear.Add(row.Key, MatchedRecords.Unclear(dataset, records.Count));
            }
            else if (records is [var record])
            {
                found.Add(row.Key, Changed(record, values));
            }
        }

        return ([.. rows.Where(row => !unclear.ContainsKey(row.Key)).Select(row => row with { Change = Now(row) })], unclear);

        Change Now(RowToSave row) => found.GetValueOrDefault(row.Key, row.Change);

        bool HasAll(FieldValues values) => fields.All(name => values.Has(name) && values[name] is not null);

        // Where nothing but what it is found by was typed, that is what is written: it is so already.
        Change.Update Changed(Record record, FieldValues values)
        {
            var others = new FieldValues(values.Where(pair => !fields.Contains(pair.Key)));
            var written = others.Count > 0 ? others : values;
            return new Change.Update(record.Key!, record.Values(written.Fields), written);
        }
    }
}
