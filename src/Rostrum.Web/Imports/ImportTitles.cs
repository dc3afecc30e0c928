using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Sources;

namespace Rostrum.Web.Imports;

/// <summary>The records to which rows of a file refer: by their keys, or by what names them.</summary>
internal sealed class ImportTitles
{
    // So many records to which a field can lead are read at once; of more each title is looked for.
    private const int MostRead = 5_000;
    private const int MostAlike = 30;

    private readonly Dictionary<FieldName, Dictionary<string, Parsed>> _known = [];

    /// <summary>What a cell is for a field that refers to a record; null where the field refers to none, or the cell is blank.</summary>
    public Parsed? Of(FieldName field, string text) =>
        _known.TryGetValue(field, out var known) && text.Trim() is { Length: > 0 } title ? known[title] : null;

    public static async Task<ImportTitles> ReadAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        Dataset dataset,
        ImportPlan plan,
        IReadOnlyList<ImportedRow> rows,
        Grants grants,
        RecordFormat format,
        CancellationToken cancellation
    )
    {
        var titles = new ImportTitles();
        for (var at = 0; at < plan.Into.Length; at++)
        {
            if (
                plan.Into[at] is not { } name
                || dataset.RelationOf(name) is not { } relation
                || catalogue.Find(relation.Target) is not { } target
            )
            {
                continue;
            }

            var column = at;
            string[] wanted =
            [
                .. rows.Select(row => column < row.Cells.Length ? row.Cells[column].Trim() : "").Where(text => text.Length > 0).Distinct(),
            ];
            var key = target[relation.TargetField];
            var there = await ThereAsync(gate, catalogue, target, key, wanted, plan, grants, format, cancellation);
            titles._known[name] = wanted.ToDictionary(text => text, text => there(text));
        }

        return titles;
    }

    private static async Task<Func<string, Parsed>> ThereAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        Dataset target,
        Field key,
        string[] wanted,
        ImportPlan plan,
        Grants grants,
        RecordFormat format,
        CancellationToken cancellation
    )
    {
        async Task<IReadOnlyList<Record>> ReadAsync(ReadRequest request) =>
            await gate.ReadAsync(catalogue, request with { Fields = [key.Name] }, grants, cancellation) switch
            {
                ReadResult.Rows rows => rows.Records,
                ReadResult.Denied => [],
                _ => throw new TimeoutException("the source gives no records"),
            };

        var records = (await ReadAsync(new ReadRequest(target.Id) { Window = new PageWindow.FromStart(0, MostRead + 1) })).ToList();
        if (records.Count > MostRead)
        {
            records.Clear();
            object?[] keys =
            [
                .. wanted.Select(text => (plan.Cells.Read(key, text, format) as Parsed.Value)?.Is).Where(value => value is not null),
            ];
            records.AddRange(
                await ReadAsync(
                    new ReadRequest(target.Id)
                    {
                        Filter = new Filter.OneOf(key.Name, [.. keys]),
                        Window = new PageWindow.FromStart(0, Math.Max(1, keys.Length)),
                    }
                )
            );
            foreach (var text in wanted)
            {
                records.AddRange(
                    await ReadAsync(new ReadRequest(target.Id) { Search = text, Window = new PageWindow.FromStart(0, MostAlike) })
                );
            }
        }

        records = [.. records.Where(record => record[key.Name] is not null and not Unreadable)];
        var byKey = records.ToLookup(record => FieldText.ToCanonical(key.Type, record[key.Name]!), StringComparer.Ordinal);
        var byTitle = records
            .DistinctBy(record => FieldText.ToCanonical(key.Type, record[key.Name]!))
            .ToLookup(record => record.Title, StringComparer.OrdinalIgnoreCase);
        return text =>
        {
            if (plan.Cells.Read(key, text, format) is Parsed.Value { Is: { } value } && byKey[FieldText.ToCanonical(key.Type, value)].Any())
            {
                return new Parsed.Value(value);
            }

            Record[] called = [.. byTitle[text]];
            return called.Length switch
            {
                1 => new Parsed.Value(called[0][key.Name]),
                0 => new Parsed.Problem($"There is no {target.RecordLabel} “{text}”."),
                var several => new Parsed.Problem($"{several} {target.LabelInSentence} are called “{text}”."),
            };
        };
    }
}
