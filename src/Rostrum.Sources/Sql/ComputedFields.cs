using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Turns what a request says of a dataset's computed fields into formulas: they are shown, sorted, narrowed, searched and counted by as
/// stored ones are.
/// </summary>
internal sealed class ComputedFields(Dataset dataset, DatasetShapes shapes, Grant grant)
{
    private readonly Field[] _fields = [.. dataset.Fields.Where(field => field.Formula is not null && grant.IsReadableInAll(field.Name))];

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
                : new Filter.Holds(Call("OR", [.. one.Values.Select(value => Compared(one.Field, Operator.Equal, value))])),
            Filter.Compare compare when IsComputed(compare.Field) => new Filter.Holds(
                Compared(compare.Field, OperatorOf(compare.Comparison), compare.Value)
            ),
            Filter.Contains contains when IsComputed(contains.Field) => new Filter.Holds(
                Call("CONTAINS", Call("LOWER", Name(contains.Field)), Call("LOWER", Literal(contains.Text)))
            ),
            _ => filter,
        };

    private bool IsComputed(FieldName name) => dataset.Find(name)?.Formula is not null;

    // A number without an end is shown with its last digits rounded away; what people pick from what is shown must find it again.
    private Syntax.Binary Compared(FieldName name, Operator sign, object? value) =>
        value is decimal && Tree(name)?.Exactness is Exactness.Quotient or Exactness.Rounded
            ? new Syntax.Binary(default, sign, default, Call("SETTLED", Name(name)), Call("SETTLED", Literal(value)))
            : new Syntax.Binary(default, sign, default, Name(name), Literal(value));

    private static Syntax.Name Name(FieldName name) => new(default, name.Value);

    private static Syntax.Call Call(string function, params ImmutableArray<Syntax> arguments) => new(default, function, default, arguments);

    private static Operator OperatorOf(Comparison comparison) =>
        comparison switch
        {
            Comparison.Less => Operator.Less,
            Comparison.AtMost => Operator.AtMost,
            Comparison.More => Operator.More,
            _ => Operator.AtLeast,
        };

    // A value as a formula has it; an instant has no literal but its text.
    private static Syntax Literal(object? value) =>
        value switch
        {
            null => new Syntax.Blank(default),
            bool yes => new Syntax.Truth(default, yes),
            decimal or long or int => Number(Convert.ToDecimal(value, CultureInfo.InvariantCulture)),
            DateOnly date => Call("DATE", Number(date.Year), Number(date.Month), Number(date.Day)),
            TimeOnly time => Call("TIME", Number(time.Hour), Number(time.Minute), Number(time.Second)),
            DateTimeOffset instant => Call(
                "DATETIME",
                Text(string.Create(CultureInfo.InvariantCulture, $"{instant.UtcDateTime:yyyy-MM-dd'T'HH:mm:ss.FFFFFF}Z"))
            ),
            _ => Text(Convert.ToString(value, CultureInfo.InvariantCulture)!),
        };

    // A formula's numbers have no sign of their own.
    private static Syntax Number(decimal value) =>
        value < 0 ? new Syntax.Prefix(default, Negative: true, new Syntax.Number(default, -value)) : new Syntax.Number(default, value);

    private static Syntax.Text Text(string value) => new(default, value);
}
