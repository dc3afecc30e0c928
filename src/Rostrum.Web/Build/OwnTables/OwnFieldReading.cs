using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.OwnTables;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>Reads from a table and its dataset what a builder wanted of a field.</summary>
internal sealed class OwnFieldReading(DatasetCatalogue catalogue, Dataset dataset, TableStructure? structure, RecordFormat format)
{
    private readonly Lazy<ImmutableArray<Condition.Test>> _checks = new(() =>
    {
        var columns = dataset.StoredFields.ToDictionary(known => known.Column);
        return [.. (structure?.Checks ?? []).Select(sql => CheckCondition.Read(sql, columns)).OfType<Condition.Test>()];
    });

    /// <summary>What a field is, in the words of own tables.</summary>
    public OwnField Of(Field field)
    {
        // What refers to records of another source is for the table a value like another, but for people.
        var target = dataset.RelationOf(field.Name) is { } relation ? catalogue.Find(relation.Target) : null;
        var isOwn = target?.Source == dataset.Source;
        return new OwnField(field.Label, OwnKind.Of(field, isOwn || (target is not null && field.Type is FieldType.Uuid)).Type)
        {
            Options = (field.Type as FieldType.Choice ?? (field.Type as FieldType.List)?.Element as FieldType.Choice)?.Options ?? [],
            Target = isOwn ? target!.Table.Name : null,
            Currency = (field.Format as DisplayFormat.Money)?.Currency,
            Minimum = Limit(field, Question.AtLeast),
            Maximum = Limit(field, Question.AtMost),
            Default =
                field.UsualValue is { } usual
                && FieldText.FromCanonical(field.Type, Canonical(field.Type, usual)) is Parsed.Value { Is: { } value }
                    ? FieldText.InForm(field.Type, value, format)
                    : "",
            Required = field.Required,
            Unique = structure?.UniqueKeys.Any(key => key is [var only] && only == field.Column) == true,
        };
    }

    // “Yes” and “No” are how the structure words what the table gives.
    private static string Canonical(FieldType type, string usual) => type is FieldType.YesNo ? (usual == "Yes" ? "true" : "false") : usual;

    // What the table itself demands of a field, as it is typed.
    private string Limit(Field field, Question question)
    {
        var limit = _checks.Value.FirstOrDefault(test => test.Question == question && test.Name is [var name] && name == field.Name.Value);
        return limit?.Operand switch
        {
            Operand.Value { Is: decimal number } => FieldText.InForm(
                field.Type,
                field.Type is FieldType.Integer ? decimal.ToInt64(number) : number,
                format
            ),
            Operand.Value { Is: DateOnly day } => FieldText.InForm(field.Type, day, format),
            _ => "",
        };
    }
}
