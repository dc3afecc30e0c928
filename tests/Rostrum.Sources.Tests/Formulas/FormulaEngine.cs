using System.Data.Common;
using System.Globalization;
using System.Text;
using Microsoft.Data.Sqlite;
using MySqlConnector;
using Npgsql;
using NpgsqlTypes;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.MySql;
using Rostrum.Sources.Postgres;
using Rostrum.Sources.Sql;
using Rostrum.Sources.Sqlite;

namespace Rostrum.Sources.Tests.Formulas;

/// <summary>
/// A database with the records of <see cref="FormulaWorld"/> in it, that evaluates formulas over all vessels in one statement.
/// </summary>
internal abstract class FormulaEngine : IAsyncDisposable
{
    public abstract SqlDialect Dialect { get; }

    protected abstract DbConnection Connection { get; }

    /// <summary>The formula's statement, or why there is none. The second column is the formula as a condition.</summary>
    public (string? Sql, DbCommand Command, string? Refusal) Statement(Typed tree, bool grouped)
    {
        var command = Connection.CreateCommand();
        var tables = new SqlTables(Dialect, "t", (_, _) => null);
        var row = new SqlRow(tables, FormulaWorld.Vessel.Dataset, "t");
        var sql = new FormulaSql(
            Dialect,
            FormulaWorld.Shapes,
            new Parameters(this, command),
            FormulaWorld.Context,
            row,
            grouped ? new SqlTotals(tables) : null
        );
        if (sql.Value(tree) is not { } value || (tree.Type is FormulaType.Boolean ? sql.Condition(tree) : "") is not { } condition)
        {
            return (null, command, sql.Refusal);
        }

        command.CommandText =
            $"SELECT {AsText(value)}{(condition.Length > 0 ? $", CASE WHEN {condition} THEN 1 ELSE 0 END" : "")} "
            + $"FROM {row.From} ORDER BY t.{Dialect.Quote("id")}";
        return (command.CommandText, command, null);
    }

    /// <summary>The formula's value of each vessel.</summary>
    public static async Task<List<(object? Value, bool? Holds)>> EvaluateAsync(DbCommand command, FormulaType type)
    {
        var values = new List<(object?, bool?)>();
        await using var reader = await command.ExecuteReaderAsync();
        while (await reader.ReadAsync())
        {
            values.Add(
                (
                    reader.IsDBNull(0) ? null : Parse(Convert.ToString(reader.GetValue(0), CultureInfo.InvariantCulture)!, type),
                    reader.FieldCount > 1 ? Convert.ToInt64(reader.GetValue(1), CultureInfo.InvariantCulture) == 1 : null
                )
            );
        }

        return values;
    }

    public async Task LoadAsync()
    {
        foreach (var table in FormulaWorld.Tables)
        {
            var columns = table
                .Fields.Where(field => field.Formula is null)
                .Select(field => $"{Dialect.Quote(field.Column)} {TypeName(field)}");
            await RunAsync($"CREATE TABLE {Dialect.Quote(table.Table)} ({string.Join(", ", columns)})");
            foreach (var row in FormulaWorld.Rows[table.Name.Value])
            {
                await RunAsync($"INSERT INTO {Dialect.Quote(table.Table)} VALUES ({string.Join(", ", row.Select(Literal))})");
            }
        }
    }

    public virtual async ValueTask DisposeAsync() => await Connection.DisposeAsync();

    protected async Task RunAsync(string sql)
    {
        await using var command = Connection.CreateCommand();
        command.CommandText = sql;
        await command.ExecuteNonQueryAsync();
    }

    protected abstract string TypeName(Field field);

    protected abstract string AsText(SqlValue value);

    protected abstract DbParameter Parameter(FormulaType type, object value);

    protected virtual string Placeholder(DbParameter parameter) => "@" + parameter.ParameterName;

    protected virtual string Literal(object? value) =>
        value switch
        {
            null or Unfit => "NULL",
            string text => $"'{text.Replace("'", "''", StringComparison.Ordinal)}'",
            bool yes => yes ? "TRUE" : "FALSE",
            DateOnly date => $"'{date:yyyy-MM-dd}'",
            TimeOnly time => $"'{time:HH:mm:ss}'",
            DateTimeOffset instant => $"'{instant.UtcDateTime:yyyy-MM-dd HH:mm:ss.ffffff}'",
            _ => Convert.ToString(value, CultureInfo.InvariantCulture)!,
        };

    private static object Parse(string text, FormulaType type) =>
        type switch
        {
            FormulaType.Number => decimal.Parse(text, NumberStyles.Float, CultureInfo.InvariantCulture),
            FormulaType.Boolean => text is "true" or "1",
            FormulaType.Date => DateOnly.ParseExact(text[..10], "yyyy-MM-dd", CultureInfo.InvariantCulture),
            FormulaType.Time => TimeOnly.Parse(text, CultureInfo.InvariantCulture),
            FormulaType.DateTime => DateTimeOffset.Parse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal),
            _ => text,
        };

    private sealed class Parameters(FormulaEngine engine, DbCommand command) : ISqlParameters
    {
        private readonly Dictionary<object, string> _known = [];

        public string Add(FormulaType type, object value)
        {
            if (!_known.TryGetValue(value, out var placeholder))
            {
                var parameter = engine.Parameter(type, value);
                parameter.ParameterName = $"p{command.Parameters.Count + 1}";
                command.Parameters.Add(parameter);
                _known.Add(value, placeholder = engine.Placeholder(parameter));
            }

            return placeholder;
        }

        public string AddFor(Field field, object value) => Add(DatasetShapes.TypeOf(field)!, value);
    }
}

internal sealed class PostgresEngine(NpgsqlConnection connection) : FormulaEngine
{
    public override SqlDialect Dialect { get; } = new PostgresDialect();

    protected override DbConnection Connection => connection;

    protected override string TypeName(Field field) => field.NativeType;

    protected override string AsText(SqlValue value) => $"({value.Text})::text";

    protected override DbParameter Parameter(FormulaType type, object value) => SqlEngines.Of("postgres").Parameter(value);

    protected override string Placeholder(DbParameter parameter) => "@" + parameter.ParameterName;

    protected override string Literal(object? value) =>
        value switch
        {
            Unfit unfit => $"'{unfit.Postgres}'",
            string text => $"E'{text.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("'", "''", StringComparison.Ordinal)}'",
            _ => base.Literal(value),
        };
}

internal sealed class MariaEngine(MySqlConnection connection) : FormulaEngine
{
    public override SqlDialect Dialect { get; } = new MySqlDialect();

    protected override DbConnection Connection => connection;

    protected override string TypeName(Field field) =>
        field.NativeType switch
        {
            "timestamptz" => "datetime(6)",
            "text" => "varchar(200)",
            "time" => "time(6)",
            var native => native.Replace("numeric", "decimal", StringComparison.Ordinal),
        };

    protected override string AsText(SqlValue value) => $"CAST({value.Text} AS CHAR)";

    protected override DbParameter Parameter(FormulaType type, object value) => new MySqlParameter { Value = value };

    protected override string Literal(object? value) =>
        value is string text ? base.Literal(text.Replace("\\", "\\\\", StringComparison.Ordinal)) : base.Literal(value);
}

internal sealed class SqliteEngine(SqliteConnection connection) : FormulaEngine
{
    public override SqlDialect Dialect { get; } = new SqliteDialect();

    protected override DbConnection Connection => connection;

    protected override string TypeName(Field field) =>
        field.Type switch
        {
            FieldType.Integer or FieldType.YesNo => "integer",
            FieldType.Number => "numeric",
            _ => "text",
        };

    protected override string AsText(SqlValue value) => value.Text;

    protected override DbParameter Parameter(FormulaType type, object value) => new SqliteParameter { Value = value };
}
