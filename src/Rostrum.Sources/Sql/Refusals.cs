using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Sources.Sql;

/// <summary>
/// What is said where a database refuses a row's values: at the field that is concerned, in words that are not the database's.
/// </summary>
internal static class Refusals
{
    public static ImmutableArray<FieldProblem> Blank(Dataset dataset, string column) => At(dataset, [column], "This cannot be left blank.");

    public static ImmutableArray<FieldProblem> Twin(Dataset dataset, ImmutableArray<string> columns) =>
        At(
            dataset,
            columns,
            columns.Length > 1
                ? $"There is another {dataset.RecordLabel} with the same "
                    + $"{string.Join(" and ", columns.Select(column => LabelOf(dataset, column)))}."
                : $"There is another {dataset.RecordLabel} with this value."
        );

    public static ImmutableArray<FieldProblem> NoSuchRecord(Dataset dataset, ImmutableArray<string> columns) =>
        At(dataset, columns, "There is no such record to refer to.");

    public static ImmutableArray<FieldProblem> ReferredTo(Dataset dataset, string others, bool deleted) =>
        [
            new FieldProblem(
                null,
                deleted
                    ? $"{others} refer to this {dataset.RecordLabel}. Change or delete those first."
                    : $"{others} refer to this {dataset.RecordLabel} by the value that it had."
            ),
        ];

    public static ImmutableArray<FieldProblem> Rule(Dataset dataset, ImmutableArray<string> columns, string? constraint) =>
        At(dataset, columns, $"The database has a rule against this: “{RuleName(dataset, constraint)}”.");

    public static ImmutableArray<FieldProblem> At(Dataset dataset, ImmutableArray<string> columns, string message)
    {
        var fields = dataset.Fields.Where(field => columns.Contains(field.Column)).ToArray();
        return fields is [] ? [new FieldProblem(null, message)] : [.. fields.Select(field => new FieldProblem(field.Name, message))];
    }

    /// <summary>What people call a table's records, where it is known.</summary>
    public static string OtherTable(DatasetCatalogue catalogue, Dataset dataset, string? table) =>
        catalogue.All.FirstOrDefault(other => other.Source == dataset.Source && other.Table.Name == table)?.Label
        ?? Wording.Label(table ?? "Other records");

    private static string LabelOf(Dataset dataset, string column) =>
        dataset.Fields.FirstOrDefault(field => field.Column == column) is { } field
            ? Wording.InSentence(dataset.LabelOf(field.Name))
            : column;

    // Databases' own names for rules begin with the table's and end with "check".
    private static string RuleName(Dataset dataset, string? constraint)
    {
        var name = constraint ?? "";
        name = name.StartsWith(dataset.Table.Name + "_", StringComparison.Ordinal) ? name[(dataset.Table.Name.Length + 1)..] : name;
        name = name.EndsWith("_check", StringComparison.Ordinal) ? name[..^6] : name;
        return Wording.InSentence(Wording.Label(name));
    }
}
