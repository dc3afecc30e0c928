using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
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

    /// <summary>The cell of a column; blank where the row is shorter.</summary>
    public string Cell(int at) => at < Cells.Length ? Cells[at] : "";
}

/// <summary>Where rows of a file go, and with whose rights.</summary>
internal sealed record ImportTarget(
    RecordGate Gate,
    DatasetCatalogue Catalogue,
    Dataset Dataset,
    ImportPlan Plan,
    Grants Grants,
    RecordFormat Format
)
{
    /// <summary>Adds records that the file names and that are not there; null where the import is only tried.</summary>
    public MissingRecords? Missing { get; init; }
}

/// <summary>
/// What some rows amount to: changes, each with the row, and the rows that cannot be imported, with why. Those of which the records are
/// already so are neither. Where it is only tried, rows that refer to what would be added first wait: they cannot be tried.
/// </summary>
internal sealed record ImportedChanges(
    ImmutableArray<(Change Change, string Title)> Changes,
    ImmutableArray<(string Title, string Because)> Refused
)
{
    /// <summary>The changes of rows that wait.</summary>
    public ImmutableArray<Change> Waiting { get; init; } = [];

    /// <summary>What would be added first.</summary>
    public ImmutableArray<string> ToBeAdded { get; init; } = [];
}

/// <summary>Makes changes of records of rows of a file.</summary>
internal sealed class ImportChanges(ImportTarget target)
{
    private readonly Grant _grant = target.Grants.For(target.Dataset.Id);
    private readonly ImmutableArray<FieldName> _watched = BulkRecords.Watched(target.Dataset, target.Grants.For(target.Dataset.Id));
    private readonly MatchedRecords _match = new(
        target.Dataset,
        target.Plan.Match,
        BulkRecords.Watched(target.Dataset, target.Grants.For(target.Dataset.Id))
    );
    private readonly (FieldName Field, Parsed Value)[] _constants =
    [
        .. from constant in target.Plan.Constants
        let field = target.Dataset.Find(new FieldName(constant.Key))
        where field is not null && !target.Plan.Into.Contains(field.Name)
        select (field.Name, Constant(target, field, constant.Value)),
    ];

    private Dataset Dataset => target.Dataset;

    private ImportPlan Plan => target.Plan;

    public async Task<ImportedChanges> OfAsync(IReadOnlyList<ImportedRow> rows, CancellationToken cancellation)
    {
        var changes = ImmutableArray.CreateBuilder<(Change, string)>();
        var refused = ImmutableArray.CreateBuilder<(string, string)>();
        var titles = await ImportTitles.ReadAsync(target, rows, cancellation);
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

        var there =
            Plan.Mode is ImportMode.Add
                ? []
                : await _match.ThereAsync(target.Gate, target.Catalogue, [.. read.Select(one => one.Values)], target.Grants, cancellation);
        var seen = new Dictionary<string, int>(StringComparer.Ordinal);
        var waiting = ImmutableArray.CreateBuilder<Change>();
        foreach (var (row, values) in read)
        {
            var match = _match.Of(values);
            if (Plan.Mode is not ImportMode.Add && !seen.TryAdd(match, row.Number))
            {
                refused.Add((row.Title, $"Row {seen[match]} is of the same {Dataset.RecordLabel}."));
                continue;
            }

            var (change, problem) = ChangeOf(values, Plan.Mode is ImportMode.Add ? [] : there.GetValueOrDefault(match, []));
            if (change is null)
            {
                refused.Add((row.Title, problem!));
            }
            else if (Waits(row, titles))
            {
                waiting.Add(change);
            }
            else if (change is not Change.Update { Values.Count: 0 })
            {
                // Of a record that is as its row has it nothing is written.
                changes.Add((change, row.Title));
            }
        }

        return new ImportedChanges(changes.ToImmutable(), refused.ToImmutable())
        {
            Waiting = waiting.ToImmutable(),
            ToBeAdded = [.. titles.ToBeAdded],
        };
    }

    private bool Waits(ImportedRow row, ImportTitles titles) =>
        Plan.Into.Index().Any(column => column.Item is { } field && titles.IsToBeAdded(field, row.Cell(column.Index)));

    private (Change? Change, string? Problem) ChangeOf(FieldValues values, List<Record> there)
    {
        switch (there)
        {
            case [var record]:
                var original = BulkRecords.Original(_watched, record);
                var own = new FieldValues(
                    values.Where(pair =>
                        Dataset[pair.Key].IsWritten
                        && _grant.Writable.Has(pair.Key)
                        && !Plan.Match.Contains(pair.Key)
                        && !(original.Has(pair.Key) && FieldText.SameValue(original[pair.Key], pair.Value))
                    )
                );
                return (new Change.Update(record.Key!, original, own), null);
            case [] when Plan.Mode is ImportMode.Change:
                return (null, $"There is no such {Dataset.RecordLabel}.");
            case []:
                // What is blank in the file is as a new record has it.
                return (new Change.Insert(new FieldValues(values.Where(pair => pair.Value is not null))), null);
            default:
                return (null, MatchedRecords.Unclear(Dataset, there.Count));
        }
    }

    private (FieldValues Values, string? Problem) ValuesOf(ImportedRow row, ImportTitles titles)
    {
        var cells =
            from column in Plan.Into.Select((name, at) => (Name: name, At: at))
            let field = column.Name is { } name ? Dataset.Find(name) : null
            where field is not null
            let text = row.Cell(column.At)
            select (Field: field.Name, Value: titles.Of(field.Name, text) ?? Plan.Cells.Read(field, text, target.Format));
        var values = FieldValues.None;
        foreach (var (field, value) in cells.Concat(_constants))
        {
            if (value is Parsed.Problem { Message: var message })
            {
                return (values, $"{Dataset.LabelOf(field)}: {message}");
            }

            values = values.With(field, ((Parsed.Value)value).Is);
        }

        return (values, null);
    }

    // What a field holds that has no column.
    private static Parsed Constant(ImportTarget target, Field field, string text) =>
        text.StartsWith('=')
            ? FieldDefault.Value(
                field with
                {
                    Default = text,
                },
                target.Grants.User,
                new FormulaContext(target.Format.Clock.GetUtcNow(), target.Format.Zone)
            )
            : FieldText.FromForm(field.Type, text, target.Format);
}
