using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.MySql;

/// <summary>
/// MySQL from version 8 and MariaDB from 10.6 on, with connections in utf8mb4 and UTC. Numbers are computed as <c>decimal</c>.
/// </summary>
internal sealed class MySqlDialect : SqlDialect
{
    public override string Name => "MariaDB";

    public override string Quote(string identifier) => $"`{identifier.Replace("`", "``", StringComparison.Ordinal)}`";

    public override string? TemplateOf(SqlAttribute sql) => sql.MySql;

    public override SqlValue? Value(SqlColumn column, FormulaType type)
    {
        var sql = column.Sql;
        return column.Field.Type switch
        {
            FieldType.Text or FieldType.Choice or FieldType.YesNo or FieldType.Time => new(sql, type) { Column = column },
            FieldType.Integer integer => Whole(column, sql, integer),
            FieldType.Number { Precision: { } precision and <= 28 } number => new(sql, type)
            {
                Column = column,
                Width = new NumberWidth(precision - (number.Scale ?? 0), number.Scale ?? 0),
            },
            // Year 0 is a date here.
            FieldType.Date or FieldType.Instant => new($"CASE WHEN {sql} >= '0001-01-01' THEN {sql} END", type) { Column = column },
            _ => null,
        };
    }

    public override SqlValue Constant(FormulaType type, object value, ISqlParameters parameters)
    {
        var text = parameters.Add(
            type,
            value switch
            {
                DateTimeOffset instant => instant.UtcDateTime,
                decimal whole when decimal.IsInteger(whole) && Math.Abs(whole) < long.MaxValue => (long)whole,
                _ => value,
            }
        );
        return value switch
        {
            decimal number => new SqlValue(text, type)
            {
                Constant = value,
                Width = NumberWidth.Of(number),
                IsWhole = decimal.IsInteger(number) && Math.Abs(number) < long.MaxValue,
            },
            DateOnly => new SqlValue($"CAST({text} AS DATE)", type) { Constant = value },
            TimeOnly => new SqlValue($"CAST({text} AS TIME(6))", type) { Constant = value },
            DateTimeOffset => new SqlValue($"CAST({text} AS DATETIME(6))", type) { Constant = value },
            _ => new SqlValue(text, type) { Constant = value },
        };
    }

    public override string Number(SqlValue number) => number.IsWhole ? $"CAST({number.Text} AS DECIMAL(30, 0))" : $"({number.Text})";

    public override string? Wide(SqlValue number) =>
        number.Width is { Digits: <= 30, Scale: <= 30 } ? $"CAST({number.Text} AS DECIMAL(65, 30))" : null;

    // Texts are compared byte by byte: collations pass over blanks at the end, and capitals.
    public override string Same(SqlValue one, SqlValue other) => $"({Comparable(one)} <=> {Comparable(other)})";

    public override string PlainlyEqual(SqlColumn column, SqlValue constant, ISqlParameters parameters) =>
        column.Field.Type is FieldType.Text or FieldType.Choice
            ? $"({column.Sql} = {constant.Text} AND {Bytes(column.Sql)} = BINARY {constant.Text})"
            : $"{column.Sql} = {constant.Text}";

    public override string? PlainlyOrdered(SqlColumn column, Operator sign, SqlValue constant, ISqlParameters parameters) =>
        column.Field.Type is FieldType.Integer or FieldType.Number ? $"{column.Sql} {sign.Sign()} {constant.Text}" : null;

    public override string Comparable(SqlValue value) =>
        value.Type is FormulaType.Text or FormulaType.Choice ? Bytes(value.Text) : value.Text;

    /// <summary>The bytes of a text in Unicode, whatever character set it is kept in.</summary>
    public static string Bytes(string text) => $"BINARY CONVERT({text} USING utf8mb4)";

    public override string? AsText(SqlValue value) =>
        value.Type switch
        {
            FormulaType.Text or FormulaType.Choice => value.Text,
            FormulaType.Number when value.Exactness is not Exactness.Exact || value.Width.Scale > 28 => null,
            FormulaType.Number when value.IsWhole => $"CAST({Number(value)} AS CHAR)",
            FormulaType.Number =>
                $"trim(trailing '.' from trim(trailing '0' from CAST(0 + CAST({value.Text} AS DECIMAL(65, 28)) AS CHAR)))",
            FormulaType.Boolean => TruthAsText(value.Text),
            FormulaType.Date => $"date_format({value.Text}, '%Y-%m-%d')",
            _ => null,
        };

    public override string Length(string text) => $"char_length({text})";

    public override string Join(IEnumerable<string> texts) => $"concat({string.Join(", ", texts)})";

    public override string AddDays(SqlValue date, SqlValue days)
    {
        var number = $"greatest(least(truncate({Number(days)}, 0), 4000000), -4000000)";
        return $"CASE WHEN datediff({date.Text}, '0001-01-01') + {number} BETWEEN 0 AND 3652058 "
            + $"THEN date_add({date.Text}, INTERVAL {number} DAY) END";
    }

    public override string Between(SqlValue left, SqlValue right) =>
        $"round(CAST(timestampdiff(MICROSECOND, {right.Text}, {left.Text}) AS DECIMAL(65, 30)) / 86400000000, 20)";

    public override string JoinRows(string text, string between, string orderBy) => $"group_concat({text}{orderBy} SEPARATOR {between})";

    public override SqlValue? Arithmetic(string sign, SqlValue left, SqlValue right, NumberWidth width, Exactness exactness)
    {
        if (exactness is not Exactness.Exact || !width.FitsMemory)
        {
            return null;
        }

        var whole = left.IsWhole && right.IsWhole && width.IsWhole64;
        return new SqlValue(
            whole ? $"({left.Text} {sign} {right.Text})" : $"({Number(left)} {sign} {Number(right)})",
            new FormulaType.Number()
        )
        {
            Width = width,
            IsWhole = whole,
        };
    }
}
