using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Sources;
using Rostrum.Web.Bulk;

namespace Rostrum.Web.Imports;

/// <summary>A row of a file.</summary>
/// <param name="Number">Its number there.</param>
/// <param name="Cells">Its cells.</param>
internal sealed record ImportedRow(int Number, string[] Cells)
{
    public string Title => $"Row {Number}";
}

/// <summary>
/// What some rows amount to: changes, each with the row, and the rows that cannot be imported, with why. Those of which the records are
/// already so are neither.
/// </summary>
internal sealed record ImportedChanges(
    ImmutableArray<(Change Change, string Title)> Changes,
    ImmutableArray<(string Title, string Because)> Refused
);

/// <summary>Makes changes of records of rows of a file.</summary>
internal sealed class ImportChanges(
    RecordGate gate,
    DatasetCatalogue catalogue,
    Dataset dataset,
    ImportPlan plan,
    Grants grants,
    RecordFormat format
)
{
    private readonly Grant _grant = grants.For(dataset.Id);

    private ImmutableArray<FieldName> Watched => BulkRecords.Watched(dataset, _grant);

    public async Task<ImportedChanges> OfAsync(IReadOnlyList<ImportedRow> rows, CancellationToken cancellation)
    {
        var changes = ImmutableArray.CreateBuilder<(Change, string)>();
        var refused = ImmutableArray.CreateBuilder<(string, string)>();
        var titles = await ImportTitles.ReadAsync(gate, catalogue, dataset, plan, rows, grants, format, cancellation);
        var read = new List<(ImportedRow Row, FieldValues Values)>();
        foreach (var row in rows)
        {
            var (values, problem) = ValuesOf(row, titles);
            if (problem is not null)
            {
                refused.Add((row.Title, problem));
            }
            else
            {
                read.Add((row, values));
            }
        }

        var there = plan.Mode is ImportMode.Add ? [] : await ThereAsync([.. read.Select(one => one.Values)], cancellation);
        var seen = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (row, values) in read)
        {
            var match = MatchOf(values.Has, name => values[name]);
            if (plan.Mode is not ImportMode.Add && !seen.TryAdd(match, row.Number))
            {
                refused.Add((row.Title, $"Row {seen[match]} is of the same {dataset.RecordLabel}."));
                continue;
            }

            var (change, problem) = ChangeOf(values, plan.Mode is ImportMode.Add ? [] : there.GetValueOrDefault(match, []));
            if (change is null)
            {
                refused.Add((row.Title, problem!));
            }
            else if (change is not Change.Update { Values.Count: 0 })
            {
                // Of a record that is as its row has it nothing is written.
                changes.Add((change, row.Title));
            }
        }

        return new ImportedChanges(changes.ToImmutable(), refused.ToImmutable());
    }

    private (Change? Change, string? Problem) ChangeOf(FieldValues values, List<Record> there)
    {
        switch (there)
        {
            case [var record]:
                var original = BulkRecords.Original(Watched, record);
                var own = new FieldValues(
                    values.Where(pair =>
                        dataset[pair.Key].IsWritten
                        && _grant.Writable.Has(pair.Key)
                        && !plan.Match.Contains(pair.Key)
                        && !(original.Has(pair.Key) && FieldText.SameValue(original[pair.Key], pair.Value))
                    )
                );
                return (new Change.Update(record.Key!, original, own), null);
            case [] when plan.Mode is ImportMode.Change:
                return (null, $"There is no such {dataset.RecordLabel}.");
            case []:
                // What is blank in the file is as a new record has it.
                return (new Change.Insert(new FieldValues(values.Where(pair => pair.Value is not null))), null);
            default:
                return (null, $"{there.Count} {dataset.LabelInSentence} are like that: it is not clear which is meant.");
        }
    }

    private (FieldValues Values, string? Problem) ValuesOf(ImportedRow row, ImportTitles titles)
    {
        var values = FieldValues.None;
        for (var at = 0; at < plan.Into.Length; at++)
        {
            if (plan.Into[at] is not { } name || dataset.Find(name) is not { } field)
            {
                continue;
            }

            var text = at < row.Cells.Length ? row.Cells[at] : "";
            switch (titles.Of(name, text) ?? plan.Cells.Read(field, text, format))
            {
                case Parsed.Value { Is: var value }:
                    values = values.With(name, value);
                    break;
                case Parsed.Problem { Message: var message }:
                    return (values, $"{dataset.LabelOf(name)}: {message}");
            }
        }

        foreach (var (name, text) in plan.Constants)
        {
            if (dataset.Find(new FieldName(name)) is not { } field || plan.Into.Contains(field.Name))
            {
                continue;
            }

            switch (Constant(field, text))
            {
                case Parsed.Value { Is: var value }:
                    values = values.With(field.Name, value);
                    break;
                case Parsed.Problem { Message: var message }:
                    return (values, $"{dataset.LabelOf(field.Name)}: {message}");
            }
        }

        return (values, null);
    }

    /// <summary>What a field holds that has no column.</summary>
    private Parsed Constant(Field field, string text) =>
        text.StartsWith('=')
            ? FieldDefault.Value(
                field with
                {
                    Default = text,
                },
                grants.User,
                new Core.Formulas.FormulaContext(format.Clock.GetUtcNow(), format.Zone)
            )
            : FieldText.FromForm(field.Type, text, format);

    // The records that are there, by the values by which they are found.
    private async Task<Dictionary<string, List<Record>>> ThereAsync(FieldValues[] rows, CancellationToken cancellation)
    {
        if (rows.Length == 0)
        {
            return [];
        }

        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. Watched.Union(plan.Match)],
            Filter = plan.Match is [var one]
                ? new Filter.OneOf(one, [.. rows.Select(row => row[one]).Distinct()])
                : new Filter.Or([
                    .. rows.Select(row => new Filter.And([.. plan.Match.Select(name => new Filter.OneOf(name, [row[name]]))])),
                ]),
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
                var match = MatchOf(_ => true, name => record[name]);
                if (!there.TryGetValue(match, out var same))
                {
                    there.Add(match, same = []);
                }

                same.Add(record);
            }
        }

        return there;
    }

    private string MatchOf(Func<FieldName, bool> has, Func<FieldName, object?> value) =>
        string.Join(
            '\0',
            plan.Match.Select(name =>
                has(name) && value(name) is { } known and not Unreadable ? FieldText.ToCanonical(dataset[name].Type, known) : ""
            )
        );
}
