using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Turns what a request says of a dataset's computed fields into formulas: they are shown, sorted, narrowed, searched and counted by as
/// stored ones are.
/// </summary>
internal sealed class ComputedFields(Dataset dataset, DatasetShapes shapes, Func<FieldName, bool> isReadable)
{
    private readonly Field[] _fields = [.. dataset.Fields.Where(field => field.Formula is not null && isReadable(field.Name))];

    /// <summary>
    /// The request without computed fields, and with their formulas. Fields whose formula the person may not follow, or that has a problem,
    /// are left out.
    /// </summary>
    public ReadRequest Expand(ReadRequest request)
    {
        var wanted = _fields.Where(field =>
            request.Fields.Contains(field.Name)
            || request.Sort.Any(sort => sort.Field == field.Name)
            || (request.Search.Length > 0 && field.Type.IsTextual)
        );
        return request with
        {
            Computed = [.. request.Computed, .. Columns(wanted, request.Computed)],
            Fields = [.. request.Fields.Where(name => dataset.Find(name)?.Formula is null)],
            Filter = Expand(request.Filter),
        };
    }

    /// <summary>Whether a field can be had: it is stored, or its formula is without a problem for this person.</summary>
    public bool CanBeHad(FieldName name) =>
        dataset.Find(name) is { Formula: null } || _fields.Any(field => field.Name == name && IsSound(field));

    private IEnumerable<ComputedColumn> Columns(IEnumerable<Field> fields, ImmutableArray<ComputedColumn> known) =>
        fields
            .Where(field => IsSound(field) && known.All(column => column.Name != field.Name))
            .Select(field => new ComputedColumn(field.Name, Formatter.Name(field.Name.Value)));

    private bool IsSound(Field field) => Tree(field.Name) is not null;

    private Typed? Tree(FieldName name) =>
        shapes.Of(dataset).Shape is var shape && shape.IndexOf(name.Value) is >= 0 and var index ? shape.Computed(index)?.Tree : null;

    private Filter Expand(Filter filter) =>
        filter switch
        {
            Filter.And all => new Filter.And([.. all.Parts.Select(Expand)]),
            Filter.Or any => new Filter.Or([.. any.Parts.Select(Expand)]),
            Filter.Not negated => new Filter.Not(Expand(negated.Part)),
            Filter.OneOf one when IsComputed(one.Field) => one.Values.IsEmpty
                ? new Filter.Nothing()
                : new Filter.Holds($"OR({string.Join(", ", one.Values.Select(value => Compared(one.Field, "=", value)))})"),
            Filter.Compare compare when IsComputed(compare.Field) => new Filter.Holds(
                Compared(compare.Field, Sign(compare.Comparison), compare.Value)
            ),
            Filter.Contains contains when IsComputed(contains.Field) => new Filter.Holds(
                $"CONTAINS(LOWER({Name(contains.Field)}), LOWER({Literal(contains.Text)}))"
            ),
            _ => filter,
        };

    private bool IsComputed(FieldName name) => dataset.Find(name)?.Formula is not null;

    // A number without an end is shown with its last digits rounded away; what people pick from what is shown must find it again.
    private string Compared(FieldName name, string sign, object? value) =>
        value is decimal && Tree(name)?.Exactness is Exactness.Quotient or Exactness.Rounded
            ? $"SETTLED({Name(name)}) {sign} SETTLED({Literal(value)})"
            : $"{Name(name)} {sign} {Literal(value)}";

    private static string Name(FieldName name) => Formatter.Name(name.Value);

    private static string Sign(Comparison comparison) =>
        comparison switch
        {
            Comparison.Less => "<",
            Comparison.AtMost => "<=",
            Comparison.More => ">",
            _ => ">=",
        };

    // A value as a formula writes it; an instant has no literal but its distance from a date that has.
    private static string Literal(object? value) =>
        value switch
        {
            null => "BLANK",
            bool yes => yes ? "TRUE" : "FALSE",
            decimal or long or int => $"({Convert.ToString(value, CultureInfo.InvariantCulture)})",
            DateOnly date =>
                $"DATE({date.Year.ToString(CultureInfo.InvariantCulture)}, {date.Month.ToString(CultureInfo.InvariantCulture)}, "
                    + $"{date.Day.ToString(CultureInfo.InvariantCulture)})",
            TimeOnly time => $"TIME({time.Hour.ToString(CultureInfo.InvariantCulture)}, "
                + $"{time.Minute.ToString(CultureInfo.InvariantCulture)}, {time.Second.ToString(CultureInfo.InvariantCulture)})",
            DateTimeOffset instant => string.Create(
                CultureInfo.InvariantCulture,
                $"DATETIME(\"{instant.UtcDateTime:yyyy-MM-dd'T'HH:mm:ss.FFFFFF}Z\")"
            ),
            _ => $"\"{Convert.ToString(value, CultureInfo.InvariantCulture)!.Replace("\"", "\"\"", StringComparison.Ordinal)}\"",
        };
}
