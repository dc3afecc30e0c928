using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Sqlite;

/// <summary>
/// SQLite from version 3.46 on. It has no decimal numbers: whole ones are computed there, and others in memory. Dates are its ISO 8601
/// texts.
/// </summary>
internal sealed class SqliteDialect : SqlDialect
{
    public override string Name => "SQLite";

    public override string? TemplateOf(SqlAttribute sql) => sql.Sqlite;

    public override SqlValue? Value(SqlColumn column, FormulaType type)
    {
        var sql = column.Sql;
        return column.Field.Type switch
        {
            FieldType.Text or FieldType.Choice or FieldType.YesNo or FieldType.Time => new(sql, type) { Column = column },
            FieldType.Integer integer => Whole(column, sql, integer),
            FieldType.Date => new($"CASE WHEN {sql} >= '0001-01-01' THEN {sql} END", type) { Column = column },
            _ => null,
        };
    }

    public override SqlValue? Constant(FormulaType type, object value, ISqlParameters parameters) =>
        value switch
        {
            decimal number when decimal.IsInteger(number) && Math.Abs(number) < long.MaxValue => new SqlValue(
                parameters.Add(type, (long)number),
                type
            )
            {
                Constant = value,
                IsWhole = true,
                Width = NumberWidth.Of(decimal.Truncate(number)),
            },
            decimal => null,
            DateOnly date => new SqlValue(parameters.Add(new FormulaType.Text(), date.ToString("O", CultureInfo.InvariantCulture)), type)
            {
                Constant = value,
            },
            TimeOnly time => new SqlValue(
                parameters.Add(new FormulaType.Text(), time.ToString("HH:mm:ss", CultureInfo.InvariantCulture)),
                type
            )
            {
                Constant = value,
            },
            _ => new SqlValue(parameters.Add(type, value), type) { Constant = value },
        };

    // The database has no exact fractions: a query computes with what it keeps in its columns.
    public override string? Sent(FormulaType type, object value, ISqlParameters parameters) =>
        value is decimal number && Constant(type, value, parameters) is null
            ? parameters.Add(type, (double)number)
            : base.Sent(type, value, parameters);

    public override bool Carries(NumberWidth width) => width.IsWhole64;

    public override string? Negate(SqlValue number) => number.Width.IsWhole64 ? $"(-({number.Text}))" : null;

    public override string Number(SqlValue number) => number.Text;

    public override string? Wide(SqlValue number) => null;

    public override string Same(SqlValue one, SqlValue other) => $"({Comparable(one)} IS {Comparable(other)})";

    public override string PlainlyEqual(SqlColumn column, SqlValue constant, ISqlParameters parameters) =>
        $"{column.Sql} = {constant.Text}{(column.Field.Type is FieldType.Text or FieldType.Choice ? " COLLATE BINARY" : "")}";

    public override string? PlainlyOrdered(SqlColumn column, Operator sign, SqlValue constant, ISqlParameters parameters) =>
        column.Field.Type is FieldType.Integer ? $"{column.Sql} {sign.Sign()} {constant.Text}" : null;

    public override string Comparable(SqlValue value) =>
        value.Type is FormulaType.Text or FormulaType.Choice ? $"{value.Text} COLLATE BINARY" : value.Text;

    public override string? AsText(SqlValue value) =>
        value.Type switch
        {
            FormulaType.Text or FormulaType.Choice or FormulaType.Date => value.Text,
            FormulaType.Number => $"CAST({value.Text} AS TEXT)",
            FormulaType.Boolean => TruthAsText(value.Text),
            _ => null,
        };

    public override string Join(IEnumerable<string> texts) => $"({string.Join(" || ", texts)})";

    public override string AddDays(SqlValue date, SqlValue days)
    {
        var number = $"max(min({days.Text}, 4000000), -4000000)";
        return $"CASE WHEN julianday({date.Text}) - julianday('0001-01-01') + {number} BETWEEN 0 AND 3652058 "
            + $"THEN date({date.Text}, {number} || ' days') END";
    }

    public override string JoinRows(string text, string between, string orderBy) => $"group_concat({text}, {between}{orderBy})";

    public override SqlValue? Arithmetic(string sign, SqlValue left, SqlValue right, NumberWidth width, Exactness exactness) =>
        width.IsWhole64
            ? new SqlValue($"({left.Text} {sign} {right.Text})", new FormulaType.Number()) { Width = width, IsWhole = true }
            : null;
}
