using System.Collections.Immutable;
using Npgsql;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>Asks the values of a source what they are, where names and types do not say it.</summary>
internal static class PostgresValueReader
{
    /// <summary>The structure with what a sample of each table's values says. A table that cannot be read stays as it is.</summary>
    public static async Task<SourceStructure> WithValuesAsync(
        SqlEngine engine,
        NpgsqlConnection connection,
        SourceStructure structure,
        CancellationToken cancellation
    )
    {
        var tables = ImmutableArray.CreateBuilder<TableStructure>();
        foreach (var table in structure.Tables)
        {
            try
            {
                tables.Add(table.IsView ? table : await WithValuesAsync(engine, connection, table, cancellation));
            }
            catch (PostgresException)
            {
                // A table on another server that is not there, or one that is locked: its structure is known all the same.
                tables.Add(table);
            }
        }

        return new SourceStructure(tables.ToImmutable());
    }

    private static async Task<TableStructure> WithValuesAsync(
        SqlEngine engine,
        NpgsqlConnection connection,
        TableStructure table,
        CancellationToken cancellation
    )
    {
        var texts = table.Columns.Where(column => column.Type is FieldType.Text).ToArray();
        var shares = table.Columns.Where(FormatGuess.MayBePercent).ToArray();
        if (texts.Length + shares.Length == 0)
        {
            return table;
        }

        var asked = texts
            .SelectMany(text => Questions(SqlIdentifier.Quote(text.Name)))
            .Concat(shares.Select(share => $"coalesce(bool_and({SqlIdentifier.Quote(share.Name)} BETWEEN 0 AND 1), false)"));
        var columns = texts.Concat(shares).Select(column => SqlIdentifier.Quote(column.Name));
        var answers = await AnswersAsync(
            connection,
            $"""
            SELECT {string.Join(", ", asked)}
            FROM (SELECT {string.Join(", ", columns)} FROM {SqlIdentifier.Quote(table.Name)} LIMIT {SampledValues.Sample}) sample
            """,
            cancellation
        );

        var found = new Dictionary<string, ColumnStructure>(StringComparer.Ordinal);
        var each = SampledValues.Shapes.Length + 2;
        foreach (var (text, at) in texts.Select((text, at) => (text, at * each)))
        {
            var isLong = text.Type is FieldType.Text { MaxLength: null } && answers[at];
            var which = Array.FindIndex(answers, at + 2, SampledValues.Shapes.Length, holds => holds) - at - 2;
            found[text.Name] = text with
            {
                Type = isLong ? new FieldType.Text(Long: true) : text.Type,
                Values = new ValueEvidence
                {
                    IsShort = answers[at + 1],
                    Shape = which >= 0 ? SampledValues.Shapes[which].Shape : null,
                    Few =
                        !isLong && FormatGuess.MayBeChoice(text) && !table.IsUnique(text.Name)
                            ? await SampledValues.FewAsync(engine, connection, table.Name, text.Name, cancellation)
                            : [],
                },
            };
        }

        foreach (var (share, at) in shares.Select((share, at) => (share, (texts.Length * each) + at)))
        {
            found[share.Name] = share with { Values = new ValueEvidence { IsShare = answers[at] } };
        }

        return table with
        {
            Columns = [.. table.Columns.Select(column => found.GetValueOrDefault(column.Name, column))],
        };
    }

    // Is one of them long? Are they all short? Are they all of a shape?
    private static IEnumerable<string> Questions(string column) =>
        SampledValues
            .Shapes.Select(shape => $"coalesce(bool_and({column} ~* '{shape.Pattern}') FILTER (WHERE {column} <> ''), false)")
            .Prepend($"coalesce(max(length({column})) <= {SampledValues.MostOfAName}, false)")
            .Prepend($"coalesce(bool_or(length({column}) > {SampledValues.MostOfALine} OR {column} ~ '[\n\r]'), false)");

    private static async Task<bool[]> AnswersAsync(NpgsqlConnection connection, string sql, CancellationToken cancellation)
    {
        await using var command = new NpgsqlCommand(sql, connection);
        await using var row = await command.ExecuteReaderAsync(cancellation);
        await row.ReadAsync(cancellation);
        return [.. Enumerable.Range(0, row.FieldCount).Select(row.GetBoolean)];
    }
}
