using System.Collections.Immutable;
using Npgsql;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
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
            return At(dataset, [exception.ColumnName ?? ""], "This cannot be left blank.");
        }

        var columns = exception.ConstraintName is { Length: > 0 } name ? await ColumnsAsync(connection, dataset, name, cancellation) : [];
        return exception.SqlState switch
        {
            PostgresErrorCodes.UniqueViolation => At(
                dataset,
                columns,
                columns.Length > 1
                    ? $"There is another {dataset.RecordLabel} with the same "
                        + $"{string.Join(" and ", columns.Select(column => LabelOf(dataset, column)))}."
                    : $"There is another {dataset.RecordLabel} with this value."
            ),
            PostgresErrorCodes.ForeignKeyViolation when change is Change.Delete =>
            [
                new FieldProblem(
                    null,
                    $"{OtherTable(catalogue, dataset, exception.TableName)} refer to this {dataset.RecordLabel}. Change or "
                        + "delete those first."
                ),
            ],
            PostgresErrorCodes.ForeignKeyViolation when columns.Length > 0 => At(dataset, columns, "There is no such record to refer to."),
            PostgresErrorCodes.ForeignKeyViolation =>
            [
                new FieldProblem(
                    null,
                    $"{OtherTable(catalogue, dataset, exception.TableName)} refer to this {dataset.RecordLabel} by the value that it had."
                ),
            ],
            PostgresErrorCodes.CheckViolation => At(
                dataset,
                columns,
                $"The database has a rule against this: “{RuleName(dataset, exception.ConstraintName)}”."
            ),
            PostgresErrorCodes.StringDataRightTruncation => [new FieldProblem(null, "One of the texts is too long.")],
            PostgresErrorCodes.NumericValueOutOfRange => [new FieldProblem(null, "One of the numbers is too large.")],
            PostgresErrorCodes.InvalidDatetimeFormat or PostgresErrorCodes.DatetimeFieldOverflow =>
            [
                new FieldProblem(null, "One of the dates is out of range."),
            ],
            _ => [new FieldProblem(null, $"The database refuses this: {exception.MessageText}.")],
        };
    }

    private static ImmutableArray<FieldProblem> At(Dataset dataset, ImmutableArray<string> columns, string message)
    {
        var fields = dataset.Fields.Where(field => columns.Contains(field.Column)).ToArray();
        return fields is [] ? [new FieldProblem(null, message)] : [.. fields.Select(field => new FieldProblem(field.Name, message))];
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

    private static string LabelOf(Dataset dataset, string column) =>
        dataset.Fields.FirstOrDefault(field => field.Column == column) is { } field
            ? Wording.InSentence(dataset.LabelOf(field.Name))
            : column;

    private static string OtherTable(DatasetCatalogue catalogue, Dataset dataset, string? table) =>
        catalogue.All.FirstOrDefault(other => other.Source == dataset.Source && other.Table.Name == table)?.Label
        ?? Wording.Label(table ?? "Other records");

    // The server's own names for rules begin with the table's and end with "check".
    private static string RuleName(Dataset dataset, string? constraint)
    {
        var name = constraint ?? "";
        name = name.StartsWith(dataset.Table.Name + "_", StringComparison.Ordinal) ? name[(dataset.Table.Name.Length + 1)..] : name;
        name = name.EndsWith("_check", StringComparison.Ordinal) ? name[..^6] : name;
        return Wording.InSentence(Wording.Label(name));
    }
}
