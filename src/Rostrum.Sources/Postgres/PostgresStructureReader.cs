using System.Collections.Immutable;
using System.Data.Common;
using System.Text.RegularExpressions;
using Npgsql;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>Reads what a PostgreSQL database says of itself, from its system catalogues.</summary>
internal static partial class PostgresStructureReader
{
    [GeneratedRegex(@"\bVALUE\b", RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex DomainValue { get; }

    private const string InView =
        "c.relkind IN ('r', 'p', 'v', 'm', 'f') AND n.nspname NOT IN ('pg_catalog', 'information_schema') "
        + "AND n.nspname NOT LIKE 'pg\\_%' AND NOT c.relispartition";

    private const string Tables = $"""
        SELECT c.oid::int8, n.nspname::text, c.relname::text, c.relkind IN ('v', 'm'), obj_description(c.oid, 'pg_class'),
               CASE WHEN c.reltuples < 0 THEN NULL ELSE c.reltuples::int8 END
        FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE {InView} AND has_table_privilege(c.oid, 'SELECT') AND has_schema_privilege(n.oid, 'USAGE')
        ORDER BY n.nspname <> 'public', n.nspname, c.relname
        """;

    private const string IsArray = "base.typcategory = 'A'";

    private const string Columns = $"""
        SELECT c.oid::int8, a.attname::text, base.typname::text,
               CASE WHEN t.typtype = 'd' AND t.typtypmod >= 0 THEN t.typtypmod ELSE a.atttypmod END,
               format_type(a.atttypid, a.atttypmod), NOT a.attnotnull AND NOT t.typnotnull, pg_get_expr(d.adbin, d.adrelid),
               a.attidentity::text, a.attgenerated::text, col_description(c.oid, a.attnum),
               ARRAY(SELECT e.enumlabel::text FROM pg_enum e WHERE e.enumtypid = CASE WHEN {IsArray} THEN base.typelem ELSE base.oid END
                     ORDER BY e.enumsortorder),
               ARRAY(SELECT pg_get_constraintdef(k.oid) FROM pg_constraint k
                     WHERE k.contype = 'c' AND k.convalidated AND (k.conrelid = c.oid AND k.conkey = ARRAY[a.attnum] OR k.contypid = t.oid)
                     ORDER BY k.conname), {IsArray}
        FROM pg_class c
        JOIN pg_namespace n ON n.oid = c.relnamespace
        JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
        JOIN pg_type t ON t.oid = a.atttypid
        JOIN pg_type base ON base.oid = CASE WHEN t.typtype = 'd' THEN t.typbasetype ELSE t.oid END
        LEFT JOIN pg_attrdef d ON d.adrelid = c.oid AND d.adnum = a.attnum
        WHERE {InView} AND has_column_privilege(c.oid, a.attnum, 'SELECT')
        ORDER BY c.oid, a.attnum
        """;

    private const string Keys = $"""
        SELECT c.oid::int8, i.indisprimary, ARRAY(
                   SELECT a.attname::text FROM unnest(i.indkey::int2[]) WITH ORDINALITY AS k(attnum, position)
                   JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = k.attnum ORDER BY k.position)
        FROM pg_index i JOIN pg_class c ON c.oid = i.indrelid JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE {InView} AND i.indisunique AND i.indpred IS NULL AND i.indexprs IS NULL AND i.indnkeyatts = i.indnatts AND i.indisvalid
        ORDER BY c.oid, i.indisprimary DESC, i.indexrelid
        """;

    private const string ForeignKeys = $"""
        SELECT c.oid::int8, tn.nspname::text, t.relname::text,
               CASE f.confdeltype WHEN 'c' THEN 'CASCADE' WHEN 'n' THEN 'SET NULL' WHEN 'd' THEN 'SET DEFAULT' ELSE '' END,
               ARRAY(SELECT a.attname::text FROM unnest(f.conkey) WITH ORDINALITY AS k(attnum, position)
                     JOIN pg_attribute a ON a.attrelid = f.conrelid AND a.attnum = k.attnum ORDER BY k.position),
               ARRAY(SELECT a.attname::text FROM unnest(f.confkey) WITH ORDINALITY AS k(attnum, position)
                     JOIN pg_attribute a ON a.attrelid = f.confrelid AND a.attnum = k.attnum ORDER BY k.position)
        FROM pg_constraint f
        JOIN pg_class c ON c.oid = f.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace
        JOIN pg_class t ON t.oid = f.confrelid JOIN pg_namespace tn ON tn.oid = t.relnamespace
        WHERE {InView} AND f.contype = 'f'
        ORDER BY c.oid, f.conname
        """;

    // Those of the table, and those of its columns' domains, in which the column is called VALUE.
    private const string Checks = $"""
        SELECT c.oid::int8, pg_get_expr(k.conbin, k.conrelid), NULL::text
        FROM pg_constraint k JOIN pg_class c ON c.oid = k.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE {InView} AND k.contype = 'c' AND k.convalidated
        UNION ALL
        SELECT c.oid::int8, pg_get_expr(k.conbin, 0), a.attname::text
        FROM pg_constraint k JOIN pg_attribute a ON a.atttypid = k.contypid AND a.attnum > 0 AND NOT a.attisdropped
        JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE {InView} AND k.contype = 'c' AND k.convalidated
        ORDER BY 1, 2
        """;

    public static async Task<SourceStructure> ReadAsync(NpgsqlConnection connection, CancellationToken cancellation)
    {
        var tables = await PlainQuery.ListAsync(
            connection,
            Tables,
            row =>
                (
                    Id: row.GetInt64(0),
                    Name: new TableName(row.GetString(1), row.GetString(2)),
                    IsView: row.GetBoolean(3),
                    Comment: Text(row, 4),
                    Rows: row.IsDBNull(5) ? (long?)null : row.GetInt64(5)
                ),
            cancellation
        );
        var columns = await GroupsAsync(connection, Columns, ReadColumn, cancellation);
        var keys = await GroupsAsync(connection, Keys, row => (Primary: row.GetBoolean(1), Columns: Texts(row, 2)), cancellation);
        var foreign = await GroupsAsync(
            connection,
            ForeignKeys,
            row => new ForeignKey(
                Texts(row, 4),
                new TableName(row.GetString(1), row.GetString(2)),
                Texts(row, 5),
                SqlEngine.DeleteActionOf(row.GetString(3))
            ),
            cancellation
        );

        var checks = await GroupsAsync(connection, Checks, row => Check(row.GetString(1), Text(row, 2)), cancellation);

        return new SourceStructure([
            .. tables
                .Where(table => columns.Contains(table.Id))
                .Select(table => new TableStructure
                {
                    Name = table.Name,
                    IsView = table.IsView,
                    Comment = table.Comment,
                    EstimatedRows = table.Rows,
                    Columns = [.. columns[table.Id]],
                    PrimaryKey = keys[table.Id].Where(key => key.Primary).Select(key => key.Columns).FirstOrDefault([]),
                    UniqueKeys = [.. keys[table.Id].Where(key => !key.Primary).Select(key => key.Columns)],
                    ForeignKeys = [.. foreign[table.Id]],
                    Checks = [.. checks[table.Id]],
                }),
        ]);
    }

    /// <summary>Asks the values themselves: how many of the candidate's different values stand in the target's key?</summary>
    public static async Task<RelationEvidence> WeighAsync(
        NpgsqlConnection connection,
        RelationCandidate candidate,
        CancellationToken cancellation
    )
    {
        var column = SqlIdentifier.Quote(candidate.Column);
        await using var command = new NpgsqlCommand(
            $"""
            SELECT count(*), count(*) FILTER (WHERE EXISTS (SELECT 1 FROM {SqlIdentifier.Quote(
                candidate.Target
            )} t WHERE t.{SqlIdentifier.Quote(candidate.TargetColumn)}::text = v.value::text))
            FROM (SELECT DISTINCT s.{column} AS value FROM (SELECT {column} FROM {SqlIdentifier.Quote(
                candidate.From
            )} WHERE {column} IS NOT NULL LIMIT 100000) s) v
            """,
            connection
        );
        await using var row = await command.ExecuteReaderAsync(cancellation);
        await row.ReadAsync(cancellation);
        return new RelationEvidence(candidate, row.GetInt64(0), row.GetInt64(1));
    }

    private static string Check(string expression, string? column) =>
        column is null
            ? expression
            : DomainValue.Replace(expression, SqlIdentifier.Quote(column).Replace("$", "$$", StringComparison.Ordinal));

    private static ColumnStructure ReadColumn(DbDataReader row)
    {
        var generation = (row.GetString(7), row.GetString(8)) switch
        {
            (_, "s") => ColumnGeneration.Computed,
            ("a", _) => ColumnGeneration.IdentityAlways,
            ("d", _) => ColumnGeneration.IdentityByDefault,
            _ when Text(row, 6)?.StartsWith("nextval(", StringComparison.Ordinal) == true => ColumnGeneration.IdentityByDefault,
            _ => ColumnGeneration.None,
        };
        var type = PostgresTypes.FieldTypeOf(row.GetString(2), row.GetInt32(3), Texts(row, 10), row.GetBoolean(12));
        if (type is FieldType.Text && PostgresChecks.Options(Texts(row, 11)) is { IsEmpty: false } options)
        {
            type = new FieldType.Choice(options);
        }
        else if (
            type is FieldType.List { Element: FieldType.Text }
            && PostgresChecks.OptionsOfList(Texts(row, 11)) is { IsEmpty: false } several
        )
        {
            type = new FieldType.List(new FieldType.Choice(several));
        }

        return new ColumnStructure(row.GetString(1), type, row.GetString(4), row.GetBoolean(5), Text(row, 6), generation, Text(row, 9));
    }

    private static async Task<ILookup<long, T>> GroupsAsync<T>(
        NpgsqlConnection connection,
        string sql,
        Func<DbDataReader, T> read,
        CancellationToken cancellation
    ) =>
        (await PlainQuery.ListAsync(connection, sql, row => (Table: row.GetInt64(0), Item: read(row)), cancellation)).ToLookup(
            pair => pair.Table,
            pair => pair.Item
        );

    private static string? Text(DbDataReader row, int index) => row.IsDBNull(index) ? null : row.GetString(index);

    private static ImmutableArray<string> Texts(DbDataReader row, int index) => [.. row.GetFieldValue<string[]>(index)];
}
