using System.Collections.Immutable;
using System.Data.Common;
using System.Globalization;
using System.Text.RegularExpressions;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Sqlite;

/// <summary>Reads what a SQLite file says of itself, from its schema table and its pragmas.</summary>
internal static partial class SqliteStructureReader
{
    [GeneratedRegex(@"^\s*(?<type>[a-z ]*[a-z])\s*(?:\(\s*(?<size>\d+)\s*(?:,\s*(?<scale>\d+)\s*)?\))?", RegexOptions.IgnoreCase, 1000)]
    private static partial Regex Declared { get; }

    [GeneratedRegex(@"\bCHECK\s*\(", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant, 1000)]
    private static partial Regex CheckBegins { get; }

    [GeneratedRegex(@"\bWITHOUT\s+ROWID\b", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant, 1000)]
    private static partial Regex WithoutNumbers { get; }

    public static async Task<SourceStructure> ReadAsync(DbConnection connection, CancellationToken cancellation)
    {
        var named = await PlainQuery.ListAsync(
            connection,
            "SELECT name, type, sql FROM sqlite_schema WHERE type IN ('table', 'view') "
                + "AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY name",
            row => (Name: row.GetString(0), IsView: row.GetString(1) == "view", Sql: row.IsDBNull(2) ? "" : row.GetString(2)),
            cancellation
        );
        var tables = ImmutableArray.CreateBuilder<TableStructure>();
        foreach (var (name, isView, sql) in named)
        {
            tables.Add(await ReadAsync(connection, name, isView, sql, cancellation));
        }

        return new SourceStructure(tables.ToImmutable());
    }

    private static async Task<TableStructure> ReadAsync(
        DbConnection connection,
        string table,
        bool isView,
        string sql,
        CancellationToken cancellation
    )
    {
        var columns = await PlainQuery.ListAsync(
            connection,
            "SELECT name, type, \"notnull\", dflt_value, pk, hidden FROM pragma_table_xinfo(@p1) WHERE hidden <> 1 ORDER BY cid",
            row =>
                (
                    Name: row.GetString(0),
                    Declared: row.GetString(1),
                    NotNull: row.GetInt64(2) != 0,
                    Default: row.IsDBNull(3) ? null : row.GetString(3),
                    Key: row.GetInt64(4),
                    IsComputed: row.GetInt64(5) >= 2
                ),
            cancellation,
            table
        );
        var key = columns.Where(column => column.Key > 0).OrderBy(column => column.Key).ToArray();

        // Such a column is another name for the number that each row has by itself.
        var counted = key is [var only] && only.Declared.Equals("INTEGER", StringComparison.OrdinalIgnoreCase) ? only.Name : null;
        var unique = await PlainQuery.ListAsync(
            connection,
            "SELECT i.name, c.name FROM pragma_index_list(@p1) i, pragma_index_info(i.name) c "
                + "WHERE i.\"unique\" = 1 AND i.origin <> 'pk' AND i.partial = 0 AND c.name IS NOT NULL ORDER BY i.seq, c.seqno",
            row => (Index: row.GetString(0), Column: row.GetString(1)),
            cancellation,
            table
        );
        var foreign = await PlainQuery.ListAsync(
            connection,
            "SELECT id, \"table\", \"from\", \"to\", on_delete FROM pragma_foreign_key_list(@p1) ORDER BY id, seq",
            row =>
                (
                    Id: row.GetInt64(0),
                    Target: row.GetString(1),
                    From: row.GetString(2),
                    To: row.IsDBNull(3) ? null : row.GetString(3),
                    OnDelete: row.GetString(4)
                ),
            cancellation,
            table
        );
        var structure = ImmutableArray.CreateBuilder<ColumnStructure>();
        foreach (var column in columns)
        {
            var type = TypeOf(column.Declared) ?? await TypeOfValuesAsync(connection, table, column.Name, cancellation);
            structure.Add(
                new ColumnStructure(
                    column.Name,
                    type,
                    column.Declared.Length > 0 ? column.Declared.ToLowerInvariant() : "any",
                    !column.NotNull && column.Key == 0,
                    column.Default,
                    column.IsComputed ? ColumnGeneration.Computed
                        : column.Name == counted ? ColumnGeneration.IdentityByDefault
                        : ColumnGeneration.None
                )
            );
        }

        return ChoiceChecks.Applied(
            new TableStructure
            {
                Name = new TableName("", table),
                IsView = isView,
                EstimatedRows = isView || WithoutNumbers.IsMatch(sql) ? null : await LastNumberAsync(connection, table, cancellation),
                Columns = structure.ToImmutable(),
                PrimaryKey = [.. key.Select(column => column.Name)],
                UniqueKeys = [.. unique.GroupBy(part => part.Index).Select(index => index.Select(part => part.Column).ToImmutableArray())],
                ForeignKeys =
                [
                    .. foreign
                        .Where(part => part.To is not null)
                        .GroupBy(part => part.Id)
                        .Select(parts => new ForeignKey(
                            [.. parts.Select(part => part.From)],
                            new TableName("", parts.First().Target),
                            [.. parts.Select(part => part.To!)],
                            SqlEngine.DeleteActionOf(parts.First().OnDelete)
                        )),
                ],
                Checks = [.. isView ? [] : ChecksIn(sql)],
            }
        );
    }

    /// <summary>What Rostrum makes of a declared type; null where none is declared, so that only the values say it.</summary>
    internal static FieldType? TypeOf(string declared)
    {
        if (Declared.Match(declared) is not { Success: true } match)
        {
            return null;
        }

        int? size = match.Groups["size"].Success ? int.Parse(match.Groups["size"].Value, CultureInfo.InvariantCulture) : null;
        int? scale = match.Groups["scale"].Success ? int.Parse(match.Groups["scale"].Value, CultureInfo.InvariantCulture) : null;
        var word = match.Groups["type"].Value.ToUpperInvariant();
        bool Has(string part) => word.Contains(part, StringComparison.Ordinal);
        return word switch
        {
            _ when Has("BOOL") => new FieldType.YesNo(),
            _ when Has("INT") => new FieldType.Integer(),
            _ when Has("UUID") || Has("GUID") => new FieldType.Uuid(),
            _ when Has("JSON") => new FieldType.Json(),
            _ when Has("CHAR") || Has("CLOB") || Has("TEXT") => new FieldType.Text(size),
            _ when Has("BLOB") || Has("BINARY") => new FieldType.Bytes(),
            _ when Has("REAL") || Has("FLOA") || Has("DOUB") => new FieldType.Floating(),
            _ when Has("DEC") || Has("NUM") || Has("MONEY") => new FieldType.Number(size, size is null ? null : scale ?? 0),
            "TIMESTAMP WITH TIME ZONE" or "TIMESTAMPTZ" => new FieldType.Instant(),
            _ when Has("DATETIME") || Has("TIMESTAMP") => new FieldType.LocalDateTime(),
            _ when Has("DATE") => new FieldType.Date(),
            _ when Has("TIME") => new FieldType.Time(),
            _ => new FieldType.Text(),
        };
    }

    // Each row has a number, counted up: the last one is about how many there are, and is found without counting.
    private static async Task<long> LastNumberAsync(DbConnection connection, string table, CancellationToken cancellation) =>
        (
            await PlainQuery.ListAsync(
                connection,
                $"SELECT max(_rowid_) FROM {SqlIdentifier.Quote(table)}",
                row => row.IsDBNull(0) ? 0 : row.GetInt64(0),
                cancellation
            )
        )[0];

    private static async Task<FieldType> TypeOfValuesAsync(
        DbConnection connection,
        string table,
        string column,
        CancellationToken cancellation
    )
    {
        var (name, of) = (SqlIdentifier.Quote(column), SqlIdentifier.Quote(table));
        var kinds = await PlainQuery.ListAsync(
            connection,
            $"SELECT DISTINCT typeof({name}) FROM (SELECT {name} FROM {of} WHERE {name} IS NOT NULL LIMIT 1000)",
            row => row.GetString(0),
            cancellation
        );
        return kinds switch
        {
            ["integer"] => new FieldType.Integer(),
            ["blob"] => new FieldType.Bytes(),
            _ when kinds.Count > 0 && kinds.All(kind => kind is "integer" or "real") => new FieldType.Floating(),
            _ => new FieldType.Text(),
        };
    }

    // The schema keeps each CREATE TABLE as it was written: a CHECK is what stands within its brackets.
    internal static IEnumerable<string> ChecksIn(string sql)
    {
        foreach (Match begins in CheckBegins.Matches(sql))
        {
            var (start, depth, quote) = (begins.Index + begins.Length, 1, '\0');
            for (var at = start; at < sql.Length; at++)
            {
                var letter = sql[at];
                if (quote != '\0')
                {
                    quote = letter == quote ? '\0' : quote;
                }
                else if (letter is '\'' or '"' or '`')
                {
                    quote = letter;
                }
                else if (
                    (
                        depth +=
                            letter == '(' ? 1
                            : letter == ')' ? -1
                            : 0
                    ) == 0
                )
                {
                    yield return sql[start..at];
                    break;
                }
            }
        }
    }
}
