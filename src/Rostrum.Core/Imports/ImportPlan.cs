using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Imports;

/// <summary>What becomes of a row whose record is there already, and of one whose record is not.</summary>
public enum ImportMode
{
    /// <summary>Each row is a new record.</summary>
    Add,

    /// <summary>Records that are there are changed; a row without one is refused.</summary>
    Change,

    /// <summary>Records that are there are changed, and the others added.</summary>
    AddOrChange,
}

/// <summary>How the rows of a file become records.</summary>
public sealed record ImportPlan
{
    /// <summary>How its text is read; null where the file is no text.</summary>
    public TextForm? Text { get; init; }

    /// <summary>The sheet of a workbook; the first where blank.</summary>
    public string Sheet { get; init; } = "";

    /// <summary>Its first row has headings.</summary>
    public bool HasHeadings { get; init; } = true;

    /// <summary>How its cells are read.</summary>
    public CellForm Cells { get; init; } = new(false, DateOrder.DayMonthYear);

    /// <summary>The field into which each column goes, in their order; null where a column is left out.</summary>
    public ImmutableArray<FieldName?> Into { get; init; } = [];

    /// <summary>What fields hold that have no column: as it is typed into a form, or a formula after <c>=</c> over <c>user</c>.</summary>
    public ImmutableSortedDictionary<string, string> Constants { get; init; } =
        ImmutableSortedDictionary.Create<string, string>(StringComparer.Ordinal);

    /// <summary>What becomes of records that are there.</summary>
    public ImportMode Mode { get; init; }

    /// <summary>The fields by whose values a record is found.</summary>
    public ImmutableArray<FieldName> Match { get; init; } = [];

    /// <summary>The fields that refer to records which are added where the file names one that is not there.</summary>
    public ImmutableArray<FieldName> AddMissing { get; init; } = [];

    /// <summary>Nothing is written unless every row can be.</summary>
    public bool AllOrNothing { get; init; }

    /// <summary>
    /// The plan of another file for this one: its columns go where those of the same headings went, or, without headings, those of the same
    /// place. How the file itself is read stays.
    /// </summary>
    /// <param name="kept">The plan of the other file.</param>
    /// <param name="before">Its headings.</param>
    /// <param name="headings">The headings of this one.</param>
    /// <param name="fields">The fields that may be filled.</param>
    public ImportPlan Following(
        ImportPlan kept,
        IReadOnlyList<string> before,
        IReadOnlyList<string> headings,
        IReadOnlyCollection<FieldName> fields
    )
    {
        ArgumentNullException.ThrowIfNull(kept);
        ArgumentNullException.ThrowIfNull(before);
        ArgumentNullException.ThrowIfNull(headings);
        ArgumentNullException.ThrowIfNull(fields);
        int Place(int at) =>
            headings[at].Length == 0
                ? at < before.Count && before[at].Length == 0
                    ? at
                    : -1
                : before.Select(Plain).ToList().IndexOf(Plain(headings[at]));
        FieldName? Allowed(FieldName? field) => field is { } name && fields.Contains(name) ? name : null;
        return this with
        {
            Cells = kept.Cells,
            Into =
            [
                .. Enumerable
                    .Range(0, headings.Count)
                    .Select(Place)
                    .Select(place => place >= 0 && place < kept.Into.Length ? Allowed(kept.Into[place]) : null),
            ],
            Mode = kept.Mode,
            Match = [.. kept.Match.Where(fields.Contains)],
            AddMissing = [.. kept.AddMissing.Where(fields.Contains)],
            AllOrNothing = kept.AllOrNothing,
            Constants = kept.Constants.RemoveRange(kept.Constants.Keys.Where(name => !fields.Contains(new FieldName(name)))),
        };
    }

    /// <summary>The first row seems to have headings: each a text, none twice, and none that is a number or a day.</summary>
    public static bool SeemsToHaveHeadings(IReadOnlyList<string> first)
    {
        ArgumentNullException.ThrowIfNull(first);
        return first.Count > 0
            && first.Any(cell => cell.Any(char.IsLetter))
            && first.All(cell => string.IsNullOrWhiteSpace(cell) || cell.Any(char.IsLetter) || cell is "#")
            && first.Where(cell => cell.Length > 0).Distinct(StringComparer.OrdinalIgnoreCase).Count()
                == first.Count(cell => cell.Length > 0);
    }

    /// <summary>
    /// The fields into which columns seem to go: by their headings, else by what stands in them where one field alone takes it.
    /// </summary>
    /// <param name="dataset">The records' dataset.</param>
    /// <param name="grant">The rights of whoever imports.</param>
    /// <param name="headings">The headings; blank where there are none.</param>
    /// <param name="rows">Some rows.</param>
    /// <param name="cells">How cells are read.</param>
    /// <param name="format">How the workspace writes values.</param>
    public static ImmutableArray<FieldName?> Guess(
        Dataset dataset,
        Grant grant,
        IReadOnlyList<string> headings,
        IReadOnlyList<IReadOnlyList<string>> rows,
        CellForm cells,
        RecordFormat format
    )
    {
        ArgumentNullException.ThrowIfNull(headings);
        ArgumentNullException.ThrowIfNull(rows);
        ArgumentNullException.ThrowIfNull(cells);
        var fields = Fields(dataset, grant);
        var into = new FieldName?[headings.Count];
        for (var at = 0; at < headings.Count; at++)
        {
            var heading = Plain(headings[at]);
            var field = fields.FirstOrDefault(field =>
                heading.Length > 0 && (Plain(dataset.LabelOf(field.Name)) == heading || Plain(field.Name.Value) == heading)
            );
            into[at] = field is null || into.Contains(field.Name) ? null : field.Name;
        }

        for (var at = 0; at < headings.Count; at++)
        {
            string[] some = [.. rows.Select(row => at < row.Count ? row[at] : "").Where(cell => cell.Trim().Length > 0)];
            if (into[at] is not null || some.Length == 0)
            {
                continue;
            }

            var taking = fields
                .Where(field =>
                    !into.Contains(field.Name)
                    && dataset.RelationOf(field.Name) is null
                    && field.Type is FieldType.Choice or FieldType.Date or FieldType.Moment
                    && some.All(cell => cells.Read(field, cell, format) is Parsed.Value)
                )
                .ToArray();
            into[at] = taking is [var only] ? only.Name : null;
        }

        return [.. into];
    }

    /// <summary>The fields into which values can go.</summary>
    public static ImmutableArray<Field> Fields(Dataset dataset, Grant grant)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(grant);
        return
        [
            .. dataset.StoredFields.Where(field =>
                field.Type.IsTyped
                && (
                    dataset.Key.Contains(field.Name)
                    || (field.ReadOnlyBecause is null && (grant.Writable.Has(field.Name) || grant.WritableInNew.Has(field.Name)))
                )
            ),
        ];
    }

    /// <summary>
    /// The field that alone names a dataset's records, where somebody may fill it in a new one: a record can be added from its title then.
    /// </summary>
    public static Field? Naming(Dataset dataset, Grant grant)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(grant);
        return
            grant.Allows(Verbs.Create)
            && dataset.Title is [{ Relations.IsEmpty: true, Field: var name }]
            && Fields(dataset, grant).FirstOrDefault(field => field.Name == name) is { Type: FieldType.Text } field
            && dataset.RelationOf(name) is null
            && dataset.StoredFields.All(other =>
                other.Name == name || !other.Required || other.HasDefault || other.Default is not null || !other.IsWritten
            )
            ? field
            : null;
    }

    /// <summary>What keeps it from being begun; null where nothing does.</summary>
    public string? Problem(Dataset dataset, Grant grant)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(grant);
        FieldName[] into = [.. Into.OfType<FieldName>()];
        return into.Length == 0 ? "Choose the field of at least one column."
            : into.GroupBy(name => name).FirstOrDefault(group => group.Count() > 1) is { Key: var twice }
                ? $"Two columns go into “{dataset.LabelOf(twice)}”: leave one of them out."
            : Mode is not ImportMode.Change && !grant.Allows(Verbs.Create)
                ? $"You may not add {dataset.LabelInSentence}: choose to change them."
            : Mode is not ImportMode.Add && !grant.Allows(Verbs.Update)
                ? $"You may not change {dataset.LabelInSentence}: choose to add them."
            : Mode is ImportMode.Add ? null
            : Match.IsEmpty ? $"Choose the fields by which a {dataset.RecordLabel} is found."
            : Match.FirstOrDefault(name => !into.Contains(name)) is { Value: { } missing }
                ? $"Each {dataset.RecordLabel} is found by “{dataset.LabelOf(new FieldName(missing))}”, and no column goes into it."
            : null;
    }

    private static string Plain(string text) => string.Concat(text.Where(char.IsLetterOrDigit)).ToLowerInvariant();
}
