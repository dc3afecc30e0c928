using System.Collections.Immutable;
using System.Data.Common;
using System.Globalization;
using System.Text.RegularExpressions;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.MySql;

/// <summary>Reads what a MySQL or MariaDB database says of itself, from its information schema.</summary>
internal static partial class MySqlStructureReader
{
    private const string Tables = """
        SELECT table_name, table_type = 'VIEW', table_comment, table_rows FROM information_schema.tables
        WHERE table_schema = database() AND table_type IN ('BASE TABLE', 'VIEW') ORDER BY table_name
        """;

    private const string Columns = """
        SELECT table_name, column_name, data_type, column_type, character_maximum_length, numeric_precision, numeric_scale,
               is_nullable = 'YES', column_default, extra, column_comment, coalesce(generation_expression, '')
        FROM information_schema.columns WHERE table_schema = database() ORDER BY table_name, ordinal_position
        """;

    private const string Keys = """
        SELECT table_name, index_name, column_name FROM information_schema.statistics
        WHERE table_schema = database() AND non_unique = 0 AND column_name IS NOT NULL ORDER BY table_name, index_name, seq_in_index
        """;

    private const string ForeignKeys = """
        SELECT k.table_name, k.constraint_name, k.column_name, k.referenced_table_schema, k.referenced_table_name, k.referenced_column_name,
               r.delete_rule
        FROM information_schema.key_column_usage k
        JOIN information_schema.referential_constraints r
          ON r.constraint_schema = k.constraint_schema AND r.constraint_name = k.constraint_name AND r.table_name = k.table_name
        WHERE k.table_schema = database() AND k.referenced_table_name IS NOT NULL
        ORDER BY k.table_name, k.constraint_name, k.ordinal_position
        """;

    private const string Checks = """
        SELECT t.table_name, c.check_clause FROM information_schema.table_constraints t
        JOIN information_schema.check_constraints c
          ON c.constraint_schema = t.constraint_schema AND c.constraint_name = t.constraint_name
        WHERE t.table_schema = database() AND t.constraint_type = 'CHECK' ORDER BY t.table_name, c.constraint_name
        """;

    // MariaDB keeps JSON as a text, and a rule with it.
    [GeneratedRegex(@"^json_valid\(`(?<column>[^`]+)`\)$", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex IsJson { get; }

    [GeneratedRegex("'(?<option>(?:[^']|'')*)'", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Option { get; }

    public static async Task<SourceStructure> ReadAsync(DbConnection connection, CancellationToken cancellation)
    {
        var schema = (await PlainQuery.ListAsync(connection, "SELECT database()", row => row.GetString(0), cancellation))[0];
        var checks = (
            await PlainQuery.ListAsync(connection, Checks, row => (Table: row.GetString(0), Clause: row.GetString(1)), cancellation)
        ).ToLookup(check => check.Table, check => check.Clause, StringComparer.Ordinal);
        var columns = (
            await PlainQuery.ListAsync(connection, Columns, row => (Table: row.GetString(0), Column: ReadColumn(row)), cancellation)
        ).ToLookup(column => column.Table, column => column.Column, StringComparer.Ordinal);
        var keys = (
            await PlainQuery.ListAsync(
                connection,
                Keys,
                row => (Table: row.GetString(0), Key: row.GetString(1), Column: row.GetString(2)),
                cancellation
            )
        ).ToLookup(key => key.Table, StringComparer.Ordinal);
        var foreign = (
            await PlainQuery.ListAsync(
                connection,
                ForeignKeys,
                row =>
                    (
                        Table: row.GetString(0),
                        Key: row.GetString(1),
                        From: row.GetString(2),
                        Target: new TableName(row.GetString(3) == schema ? "" : row.GetString(3), row.GetString(4)),
                        To: row.GetString(5),
                        OnDelete: row.GetString(6)
                    ),
                cancellation
            )
        ).ToLookup(key => key.Table, StringComparer.Ordinal);
        var tables = await PlainQuery.ListAsync(
            connection,
            Tables,
            row => (Name: row.GetString(0), IsView: Truth(row, 1), Comment: Text(row, 2), Rows: Number(row, 3)),
            cancellation
        );
        return new SourceStructure([
            .. tables.Select(table =>
                ChoiceChecks.Applied(
                    new TableStructure
                    {
                        Name = new TableName("", table.Name),
                        IsView = table.IsView,
                        Comment = table.IsView ? null : table.Comment,
                        EstimatedRows = table.Rows,
                        Columns = [.. columns[table.Name].Select(column => AsJson(column, checks[table.Name]))],
                        PrimaryKey = [.. keys[table.Name].Where(key => key.Key == "PRIMARY").Select(key => key.Column)],
                        UniqueKeys =
                        [
                            .. keys[table.Name]
                                .Where(key => key.Key != "PRIMARY")
                                .GroupBy(key => key.Key, StringComparer.Ordinal)
                                .Select(key => key.Select(part => part.Column).ToImmutableArray()),
                        ],
                        ForeignKeys =
                        [
                            .. foreign[table.Name]
                                .GroupBy(key => key.Key, StringComparer.Ordinal)
                                .Select(key => new ForeignKey(
                                    [.. key.Select(part => part.From)],
                                    key.First().Target,
                                    [.. key.Select(part => part.To)],
                                    SqlEngine.DeleteActionOf(key.First().OnDelete)
                                )),
                        ],
                        Checks = [.. checks[table.Name].Where(check => !IsJson.IsMatch(check))],
                    }
                )
            ),
        ]);
    }

    private static ColumnStructure AsJson(ColumnStructure column, IEnumerable<string> checks) =>
        checks.Any(check => IsJson.Match(check) is { Success: true } json && json.Groups["column"].Value == column.Name)
            ? column with
            {
                Type = new FieldType.Json(),
                NativeType = "json",
            }
            : column;

    private static ColumnStructure ReadColumn(DbDataReader row)
    {
        var extra = row.GetString(9);
        var generation =
            row.GetString(11).Length > 0 ? ColumnGeneration.Computed
            : extra.Contains("auto_increment", StringComparison.OrdinalIgnoreCase) ? ColumnGeneration.IdentityByDefault
            : ColumnGeneration.None;
        var standard = Text(row, 8);
        return new ColumnStructure(
            row.GetString(1),
            TypeOf(row.GetString(2), row.GetString(3), Number(row, 4), Number(row, 5), Number(row, 6)),
            row.GetString(3),
            Truth(row, 7),
            standard is "NULL" ? null : standard,
            generation,
            Text(row, 10)
        );
    }

    /// <summary>What Rostrum makes of a type.</summary>
    /// <param name="type">Its name: <c>bigint</c>.</param>
    /// <param name="whole">As it is written whole: <c>bigint(20) unsigned</c>, <c>enum('a','b')</c>.</param>
    /// <param name="length">The most characters; null where it has no such.</param>
    /// <param name="precision">Digits; null where it has none.</param>
    /// <param name="scale">Digits after the point.</param>
    internal static FieldType TypeOf(string type, string whole, long? length, long? precision, long? scale)
    {
        var unsigned = whole.Contains("unsigned", StringComparison.OrdinalIgnoreCase);
        return type.ToLowerInvariant() switch
        {
            "tinyint" when whole.StartsWith("tinyint(1)", StringComparison.OrdinalIgnoreCase) && !unsigned => new FieldType.YesNo(),
            "bit" when precision is 1 => new FieldType.YesNo(),
            "tinyint" => unsigned ? new FieldType.Integer(0, byte.MaxValue) : new FieldType.Integer(sbyte.MinValue, sbyte.MaxValue),
            "smallint" => unsigned ? new FieldType.Integer(0, ushort.MaxValue) : new FieldType.Integer(short.MinValue, short.MaxValue),
            "mediumint" => unsigned ? new FieldType.Integer(0, 16_777_215) : new FieldType.Integer(-8_388_608, 8_388_607),
            "int" => unsigned ? new FieldType.Integer(0, uint.MaxValue) : new FieldType.Integer(int.MinValue, int.MaxValue),

            // Its upper half is past what a whole number carries here.
            "bigint" => unsigned ? new FieldType.Number(20, 0) : new FieldType.Integer(),
            "year" => new FieldType.Integer(0, 2155),
            "decimal" => new FieldType.Number((int?)precision, (int?)scale ?? 0),
            "float" or "double" => new FieldType.Floating(),
            "date" => new FieldType.Date(),
            "time" => new FieldType.Time(),
            "datetime" => new FieldType.LocalDateTime(),
            "timestamp" => new FieldType.Instant(),
            "char" or "varchar" => new FieldType.Text((int?)length),
            "tinytext" or "text" or "mediumtext" or "longtext" => new FieldType.Text(),
            "enum" => Options(whole),
            "set" => new FieldType.List(Options(whole)),
            "json" => new FieldType.Json(),
            "uuid" => new FieldType.Uuid(),
            "binary" or "varbinary" or "tinyblob" or "blob" or "mediumblob" or "longblob" => new FieldType.Bytes(),
            _ => new FieldType.Native(),
        };
    }

    private static FieldType.Choice Options(string whole) =>
        new([.. Option.Matches(whole).Select(match => match.Groups["option"].Value.Replace("''", "'", StringComparison.Ordinal))]);

    private static string? Text(DbDataReader row, int index) =>
        row.IsDBNull(index) || row.GetString(index) is { Length: 0 } ? null : row.GetString(index);

    private static long? Number(DbDataReader row, int index) =>
        row.IsDBNull(index) ? null : (long)Math.Min(Convert.ToDecimal(row.GetValue(index), CultureInfo.InvariantCulture), int.MaxValue);

    private static bool Truth(DbDataReader row, int index) => Convert.ToInt64(row.GetValue(index), CultureInfo.InvariantCulture) != 0;
}
