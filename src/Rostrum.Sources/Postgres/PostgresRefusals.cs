using System.Collections.Immutable;
using Npgsql;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>Why the server refuses a row's values, at the field that is concerned and in words that are not the server's.</summary>
internal static class PostgresRefusals
{
    private const string ConstraintColumns = """
        SELECT a.attname::text
        FROM (SELECT conrelid AS relation, conkey AS attributes FROM pg_constraint WHERE conname = $1
              UNION ALL
              SELECT i.indrelid, i.indkey::int2[] FROM pg_index i JOIN pg_class x ON x.oid = i.indexrelid WHERE x.relname = $1) c
        JOIN pg_attribute a ON a.attrelid = c.relation AND a.attnum = ANY(c.attributes)
        WHERE c.relation = $2::regclass
        GROUP BY a.attname, a.attnum ORDER BY a.attnum
        """;

    /// <summary>Whether it is the values that are refused, and not the call.</summary>
    public static bool IsAboutValues(PostgresException exception) =>
        exception.SqlState[..2] is "22" or "23" || exception.SqlState is PostgresErrorCodes.RaiseException;

    /// <summary>The problems; called after the transaction was rolled back.</summary>
    public static async Task<ImmutableArray<FieldProblem>> ExplainAsync(
        NpgsqlConnection connection,
        DatasetCatalogue catalogue,
        Dataset dataset,
        Change change,
        PostgresException exception,
        CancellationToken cancellation
    )
    {
        if (exception.SqlState == PostgresErrorCodes.NotNullViolation)
        {
            return Refusals.Blank(dataset, exception.ColumnName ?? "");
        }

        var columns = exception.ConstraintName is { Length: > 0 } name ? await ColumnsAsync(connection, dataset, name, cancellation) : [];
        var others = Refusals.OtherTable(catalogue, dataset, exception.TableName);
        return exception.SqlState switch
        {
            PostgresErrorCodes.UniqueViolation => Refusals.Twin(dataset, columns),
            PostgresErrorCodes.ForeignKeyViolation when change is Change.Delete => Refusals.ReferredTo(dataset, others, deleted: true),
            PostgresErrorCodes.ForeignKeyViolation when columns.Length > 0 => Refusals.NoSuchRecord(dataset, columns),
            PostgresErrorCodes.ForeignKeyViolation => Refusals.ReferredTo(dataset, others, deleted: false),
            PostgresErrorCodes.CheckViolation => Refusals.Rule(dataset, columns, exception.ConstraintName),
            PostgresErrorCodes.StringDataRightTruncation => [new FieldProblem(null, "One of the texts is too long.")],
            PostgresErrorCodes.NumericValueOutOfRange => [new FieldProblem(null, "One of the numbers is too large.")],
            PostgresErrorCodes.InvalidDatetimeFormat or PostgresErrorCodes.DatetimeFieldOverflow =>
            [
                new FieldProblem(null, "One of the dates is out of range."),
            ],
            _ => [new FieldProblem(null, $"The database refuses this: {exception.MessageText}.")],
        };
    }

    private static async Task<ImmutableArray<string>> ColumnsAsync(
        NpgsqlConnection connection,
        Dataset dataset,
        string constraint,
        CancellationToken cancellation
    )
    {
        await using var command = new NpgsqlCommand(ConstraintColumns, connection)
        {
            Parameters =
            {
                new() { Value = constraint },
                new() { Value = SqlIdentifier.Quote(dataset.Table) },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(cancellation);
        var columns = ImmutableArray.CreateBuilder<string>();
        while (await reader.ReadAsync(cancellation))
        {
            columns.Add(reader.GetString(0));
        }

        return columns.ToImmutable();
    }
}
