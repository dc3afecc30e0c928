using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Bulk;

/// <summary>Finds the records that have certain values in certain fields, where nobody knows their keys.</summary>
/// <param name="dataset">The dataset.</param>
/// <param name="fields">The fields by which a record is found.</param>
/// <param name="read">The fields that are read of those that are found.</param>
internal sealed class MatchedRecords(Dataset dataset, ImmutableArray<FieldName> fields, ImmutableArray<FieldName> read)
{
    /// <summary>The records that are there for somebody, by the values by which they are found.</summary>
    public async Task<Dictionary<string, List<Record>>> ThereAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        FieldValues[] rows,
        Grants grants,
        CancellationToken cancellation
    )
    {
        if (rows.Length == 0)
        {
            return [];
        }

        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. read.Union(fields)],
            Filter = fields is [var one]
                ? new Filter.OneOf(one, [.. rows.Select(row => row[one]).Distinct()])
                : new Filter.Or([.. rows.Select(row => new Filter.And([.. fields.Select(name => new Filter.OneOf(name, [row[name]]))]))]),
        };
        var there = new Dictionary<string, List<Record>>(StringComparer.Ordinal);
        await foreach (var page in gate.PagesAsync(catalogue, request, rows.Length * 2, grants, cancellation))
        {
            if (page is not ReadResult.Rows found)
            {
                throw new TimeoutException("the source gives no records");
            }

            foreach (var record in found.Records.Where(record => record.Key is not null))
            {
                var match = Of(_ => true, name => record[name]);
                if (!there.TryGetValue(match, out var same))
                {
                    there.Add(match, same = []);
                }

                same.Add(record);
            }
        }

        return there;
    }

    /// <summary>The values by which a record is found, as one text.</summary>
    public string Of(FieldValues values) => Of(values.Has, name => values[name]);

    /// <summary>Why none of several records that are found is meant.</summary>
    public static string Unclear(Dataset dataset, int found) =>
        $"{found} {dataset.LabelInSentence} are like that: it is not clear which is meant.";

    private string Of(Func<FieldName, bool> has, Func<FieldName, object?> value) =>
        string.Join(
            '\0',
            fields.Select(name =>
                has(name) && value(name) is { } known and not Unreadable ? FieldText.ToCanonical(dataset[name].Type, known) : ""
            )
        );
}
