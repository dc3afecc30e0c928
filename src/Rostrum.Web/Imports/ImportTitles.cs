using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Web.Live;

namespace Rostrum.Web.Imports;

/// <summary>The records to which rows of a file refer: by their keys, or by what names them.</summary>
internal sealed class ImportTitles
{
    private readonly Dictionary<FieldName, Dictionary<string, Parsed>> _known = [];
    private readonly Dictionary<FieldName, HashSet<string>> _missing = [];
    private readonly List<string> _toBeAdded = [];

    /// <summary>What would be added first where the import is only tried, as people call it.</summary>
    public IEnumerable<string> ToBeAdded => _toBeAdded;

    /// <summary>What a cell is for a field that refers to a record; null where the field refers to none, or the cell is blank.</summary>
    public Parsed? Of(FieldName field, string text) =>
        _known.TryGetValue(field, out var known) && text.Trim() is { Length: > 0 } title ? known[title] : null;

    /// <summary>Whether the record to which a cell refers would be added first.</summary>
    public bool IsToBeAdded(FieldName field, string text) => _missing.TryGetValue(field, out var missing) && missing.Contains(text.Trim());

    public static async Task<ImportTitles> ReadAsync(ImportTarget into, IReadOnlyList<ImportedRow> rows, CancellationToken cancellation)
    {
        var titles = new ImportTitles();
        for (var at = 0; at < into.Plan.Into.Length; at++)
        {
            if (
                into.Plan.Into[at] is { } name
                && into.Dataset.RelationOf(name) is { } relation
                && into.Catalogue.Find(relation.Target) is { } target
            )
            {
                string[] texts = [.. rows.Select(row => row.Cell(at).Trim()).Where(text => text.Length > 0).Distinct()];
                titles._known[name] = await titles.LedToAsync(into, name, target, target[relation.TargetField], texts, cancellation);
            }
        }

        return titles;
    }

    private async Task<Dictionary<string, Parsed>> LedToAsync(
        ImportTarget into,
        FieldName name,
        Dataset target,
        Field key,
        string[] texts,
        CancellationToken cancellation
    )
    {
        var keys = texts.ToDictionary(text => text, text => (into.Plan.Cells.Read(key, text, into.Format) as Parsed.Value)?.Is);
        var there = await ReadAsync();
        IReadOnlyDictionary<string, string> problems = new Dictionary<string, string>();
        string[] missing = [.. texts.Where(text => !(keys[text] is { } value && there.Has(value)) && there.Called(text).Length == 0)];
        if (
            missing.Length > 0
            && into.Plan.AddMissing.Contains(name)
            && ImportPlan.Naming(target, into.Grants.For(target.Id)) is { } naming
        )
        {
            if (into.Missing is { } adding)
            {
                (there, problems) = await adding.AddAsync(into, target, naming, ReadAsync, missing, cancellation);
            }
            else
            {
                _missing[name] = [.. missing];
                _toBeAdded.AddRange(missing.Select(text => $"{target.RecordLabel} “{text}”"));
            }
        }

        Parsed Of(string text)
        {
            if (keys[text] is { } value && there.Has(value))
            {
                return new Parsed.Value(value);
            }

            var called = there.Called(text);
            return called.Length switch
            {
                1 => new Parsed.Value(called[0][key.Name]),
                0 when IsToBeAdded(name, text) => new Parsed.Value(null),
                0 when problems.TryGetValue(text, out var because) => new Parsed.Problem(
                    $"There is no {target.RecordLabel} “{text}”, and it could not be added: {because.TrimEnd('.')}."
                ),
                0 => new Parsed.Problem($"There is no {target.RecordLabel} “{text}”."),
                var several => new Parsed.Problem($"{several} {target.LabelInSentence} are called “{text}”."),
            };
        }

        async Task<RecordsByTitle> ReadAsync() =>
            await RecordsByTitle.ReadAsync(
                request => into.Gate.ReadAsync(into.Catalogue, request, into.Grants, cancellation),
                target.Id,
                key,
                texts,
                [.. keys.Values.OfType<object>()]
            ) ?? throw new TimeoutException("the source gives no records");

        return texts.ToDictionary(text => text, Of);
    }
}
