using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>PostgreSQL, from version 14 on. Numbers are computed as <c>numeric</c>, whole ones that fit as <c>int8</c>.</summary>
internal sealed class PostgresDialect : SqlDialect
{
    /// <summary>The greatest number that a formula carries.</summary>
    private const string Greatest = "79228162514264337593543950335";

    private const string FirstDay = "DATE '0001-01-01'";
    private const string LastDay = "DATE '9999-12-31'";
    private const string FirstInstant = "TIMESTAMPTZ '0001-01-01 00:00:00+00'";
    private const string LastInstant = "TIMESTAMPTZ '9999-12-31 23:59:59.999999+00'";

    public override string Name => "PostgreSQL";

    public override string? TemplateOf(SqlAttribute sql) => sql.Postgres;

    public override string Null(FormulaType type) => $"NULL::{TypeName(type)}";

    public override SqlValue? Value(SqlColumn column, FormulaType type)
    {
        var sql = column.Sql;
        return column.Field.Type switch
        {
            FieldType.Text => new(IsPlainText(column.Field) ? sql : $"{sql}::text", type) { Column = column },
            FieldType.Choice or FieldType.Uuid => new($"{sql}::text", type) { Column = column },
            FieldType.Integer integer => Whole(column, $"{sql}::int8", integer),
            FieldType.Number { Precision: { } precision } number when precision <= 28 => new($"nullif({sql}, 'NaN')", type)
            {
                Column = column,
                Width = new NumberWidth(precision - (number.Scale ?? 0), Math.Max(number.Scale ?? 0, 0)),
            },
            // A column that declares no length could hold anything; what people keep in it is amounts. Decision 9 says what follows.
            FieldType.Number => new($"CASE WHEN abs({sql}) <= {Greatest} AND scale({sql}) <= 28 THEN {sql} END", type)
            {
                Column = column,
                Width = new NumberWidth(6, 2),
            },
            FieldType.Floating => new($"CASE WHEN abs({sql}) <= 7.9e28 THEN {sql}::text::numeric END", type)
            {
                Column = column,
                Width = new NumberWidth(6, 8),
            },
            FieldType.YesNo or FieldType.Time => new(sql, type) { Column = column },
            FieldType.Date => new($"CASE WHEN {sql} BETWEEN {FirstDay} AND {LastDay} THEN {sql} END", type) { Column = column },
            FieldType.Instant => new($"CASE WHEN {sql} BETWEEN {FirstInstant} AND {LastInstant} THEN {sql} END", type) { Column = column },
            _ => null,
        };
    }

    public override SqlValue Constant(FormulaType type, object value, ISqlParameters parameters)
    {
        if (value is decimal number)
        {
            var whole = decimal.IsInteger(number) && Math.Abs(number) <= long.MaxValue;
            return new SqlValue(parameters.Add(type, whole ? (long)number : value), type)
            {
                Constant = value,
                IsWhole = whole,
                Width = NumberWidth.Of(whole ? decimal.Truncate(number) : number),
            };
        }

        return new SqlValue(parameters.Add(type, value), type) { Constant = value };
    }

    public override string Number(SqlValue number) => number.IsWhole ? $"{Bracketed(number.Text)}::numeric" : Bracketed(number.Text);

    // Most of its functions give int4, which overflows where int8 does not.
    public override SqlValue Count(string text) => new($"({text})::int8", new FormulaType.Number()) { IsWhole = true };

    // The quotient has at least as many digits after the point as the dividend.
    public override string Wide(SqlValue number) => $"({Number(number)} + 0.{new string('0', 28)})";

    public override string Settle(SqlValue number) => $"to_char({Number(number)}, '9.{new string('9', 14)}EEEE')::numeric";

    public override string Same(SqlValue one, SqlValue other)
    {
        var (left, right) =
            one.IsWhole && other.IsWhole ? (one.Text, other.Text)
            : one.Type is FormulaType.Number ? (Number(one), Number(other))
            : (one.Text, other.Text);
        return $"({left} IS NOT DISTINCT FROM {right})";
    }

    public override string PlainlyEqual(SqlColumn column, SqlValue constant, ISqlParameters parameters) =>
        AsColumnValue(column.Field, constant.Constant!) is { } value
            ? $"{column.Sql}{(column.Field.NativeType is "citext" ? "::text" : "")} = {parameters.AddFor(column.Field, value)}"
        : column.Field.Type is FieldType.Choice or FieldType.Uuid ? $"{column.Sql}::text = {constant.Text}"
        : $"{column.Sql}::numeric = {Number(constant)}";

    public override string? PlainlyOrdered(SqlColumn column, Operator sign, SqlValue constant, ISqlParameters parameters)
    {
        if (
            column.Field.Type is not (FieldType.Integer or FieldType.Number or FieldType.Floating or FieldType.Date or FieldType.Instant)
            || AsColumnValue(column.Field, constant.Constant!) is not { } value
        )
        {
            return null;
        }

        // What a formula cannot carry stands beyond the ends, and must be on neither side.
        var end = (column.Field.Type, sign is Operator.Less or Operator.AtMost) switch
        {
            (FieldType.Number { Precision: <= 28 }, false) => $" AND {column.Sql} < 'NaN'",
            (FieldType.Number or FieldType.Floating, var below) => $" AND {column.Sql} {(below ? ">= -" : "<= ")}{Greatest}",
            (FieldType.Date, true) => $" AND {column.Sql} >= {FirstDay}",
            (FieldType.Date, false) => $" AND {column.Sql} <= {LastDay}",
            (FieldType.Instant, true) => $" AND {column.Sql} >= {FirstInstant}",
            (FieldType.Instant, false) => $" AND {column.Sql} <= {LastInstant}",
            _ => "",
        };
        return $"{column.Sql} {sign.Sign()} {parameters.AddFor(column.Field, value)}{end}";
    }

    public override string Comparable(SqlValue value) =>
        value.Type is FormulaType.Text or FormulaType.Choice ? $"({value.Text}) COLLATE \"C\"" : value.Text;

    public override string? AsText(SqlValue value) =>
        value.Type switch
        {
            FormulaType.Text or FormulaType.Choice => value.Text,
            FormulaType.Number when value.IsWhole => $"{Bracketed(value.Text)}::text",
            FormulaType.Number => $"trim_scale({value.Text})::text",
            FormulaType.Boolean => TruthAsText(value.Text),
            FormulaType.Date => $"to_char({value.Text}, 'YYYY-MM-DD')",
            FormulaType.Time => $"{Bracketed(value.Text)}::text",
            FormulaType.DateTime =>
                $"(to_char({Bracketed(value.Text)} AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"') || ({Bracketed(value.Text)} AT TIME "
                    + "ZONE 'UTC')::time::text || 'Z')",
            _ => null,
        };

    public override string Length(string text) => $"length({text})::int8";

    public override string Join(IEnumerable<string> texts) => $"({string.Join(" || ", texts)})";

    public override string AddDays(SqlValue date, SqlValue days)
    {
        var number = days.Constant is decimal and >= -4_000_000 and <= 4_000_000
            ? $"trunc({Number(days)})::int"
            : $"greatest(least(trunc({Number(days)}), 4000000), -4000000)::int";
        return $"CASE WHEN {date.Text} - {FirstDay} + {number} BETWEEN 0 AND 3652058 THEN {date.Text} + {number} END";
    }

    // Microseconds times an interval are exact as long as a double can count them.
    public override string? AddTo(SqlValue instant, SqlValue days)
    {
        if (days.Width.Digits > 5.01)
        {
            return null;
        }

        var moved = $"({instant.Text} + round({Number(days)} * 86400000000)::int8 * interval '1 microsecond')";
        return $"CASE WHEN {moved} BETWEEN {FirstInstant} AND {LastInstant} THEN {moved} END";
    }

    public override string Between(SqlValue left, SqlValue right) =>
        $"round((extract(epoch from {left.Text}) - extract(epoch from {right.Text}) + 0.{new string('0', 28)}) / 86400, 20)";

    public override string Local(SqlValue instant, string zone)
    {
        var local = $"({Bracketed(instant.Text)} AT TIME ZONE {zone})";

        // Far from the ends of the calendar no zone leads beyond them, and clocks are looked at once.
        return $"CASE WHEN {Bracketed(instant.Text)} BETWEEN TIMESTAMPTZ '0001-01-03 00:00Z' AND TIMESTAMPTZ '9999-12-29 00:00Z' "
            + $"THEN {local} WHEN {local} BETWEEN TIMESTAMP '0001-01-01' AND TIMESTAMP '9999-12-31 23:59:59.999999' THEN {local} END";
    }

    public override string Extreme(bool greatest, IReadOnlyList<SqlValue> values) =>
        $"{(greatest ? "greatest" : "least")}({string.Join(", ", values.Select(Operand))})";

    private string Operand(SqlValue value) => value.Type is FormulaType.Number ? Number(value) : value.Text;

    public override string JoinRows(string text, string between, string orderBy) => $"string_agg({text}, {between}{orderBy})";

    public override SqlValue? Arithmetic(string sign, SqlValue left, SqlValue right, NumberWidth width, Exactness exactness)
    {
        var whole = left.IsWhole && right.IsWhole && width.IsWhole64;
        var (one, other) = whole ? (Bracketed(left.Text), Bracketed(right.Text)) : (Number(left), Number(right));
        return new SqlValue($"({one} {sign} {other})", new FormulaType.Number())
        {
            Width = width,
            Exactness = exactness,
            IsWhole = whole,
        };
    }

    public override SqlValue Sum(SqlValue number, string distinct)
    {
        var width = number.Width with { Digits = number.Width.Digits + 6 };
        return number is { IsWhole: true, Column: { Field.Type: FieldType.Integer { Maximum: <= int.MaxValue } } column }
            ? new SqlValue($"sum({distinct}{column.Sql})", number.Type) { Width = width, IsWhole = true }
            : new SqlValue($"sum({distinct}{number.Text})", number.Type) { Width = width };
    }

    private static bool IsPlainText(Field field) =>
        field.NativeType is "text"
        || field.NativeType.StartsWith("character varying", StringComparison.Ordinal)
        || field.NativeType.StartsWith("varchar", StringComparison.Ordinal);

    // A constant in the column's own type; null where the column has no such value.
    private static object? AsColumnValue(Field field, object constant) =>
        (field.Type, constant) switch
        {
            (FieldType.Integer, decimal number) => decimal.IsInteger(number) && Math.Abs(number) <= long.MaxValue ? (long)number : null,
            (FieldType.Floating, decimal number) => NumberWidth.Of(number) is { Scale: <= 15 } width && width.Digits + width.Scale <= 15
                ? number
                : null,
            (FieldType.Choice choice, string option) => choice.Options.Contains(option) ? option : null,
            (FieldType.Uuid, string) => null,
            _ => constant,
        };

    private static string Bracketed(string text) => text.StartsWith("CASE ", StringComparison.Ordinal) ? $"({text})" : text;

    /// <summary>The server's type for a formula's values.</summary>
    public static string TypeName(FormulaType type) =>
        type switch
        {
            FormulaType.Number => "numeric",
            FormulaType.Boolean => "boolean",
            FormulaType.Date => "date",
            FormulaType.Time => "time",
            FormulaType.DateTime => "timestamptz",
            _ => "text",
        };
}
