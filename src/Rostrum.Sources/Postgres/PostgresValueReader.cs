using System.Collections.Immutable;
using Npgsql;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Postgres;

/// <summary>Asks the values of a source what they are, where names and types do not say it.</summary>
internal static class PostgresValueReader
{
    // Characters. More do not fit the line of a form.
    private const int MostOfALine = 120;
    private const int MostOfAName = 60;

    // Of a table's rows.
    private const int Sample = 1000;
    private const int SampleOfChoices = 100_000;

    // So many different texts are a choice, where each stands there so often on average.
    private const int MostChoices = 12;
    private const int LeastRepeated = 3;
    private const int LongestChoice = 40;

    private static readonly (TextShape Shape, string Pattern)[] Shapes =
    [
        (TextShape.EmailAddress, @"^[^@\s]+@[^@\s]+\.[^@\s]+$"),
        (TextShape.PictureAddress, @"^https?://\S+\.(png|jpe?g|gif|webp|svg|avif)(\?\S*)?$"),
        (TextShape.WebAddress, @"^https?://\S+$"),
        (TextShape.Colour, "^#([0-9a-f]{3}|[0-9a-f]{6})$"),
        (TextShape.PhoneNumber, @"^\+?[0-9][0-9 ()/.-]{5,}$"),
    ];

    /// <summary>The structure with what a sample of each table's values says. A table that cannot be read stays as it is.</summary>
    public static async Task<SourceStructure> WithValuesAsync(
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
                tables.Add(table.IsView ? table : await WithValuesAsync(connection, table, cancellation));
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
            FROM (SELECT {string.Join(", ", columns)} FROM {SqlIdentifier.Quote(table.Name)} LIMIT {Sample}) sample
            """,
            cancellation
        );

        var found = new Dictionary<string, ColumnStructure>(StringComparer.Ordinal);
        var each = Shapes.Length + 2;
        foreach (var (text, at) in texts.Select((text, at) => (text, at * each)))
        {
            var isLong = text.Type is FieldType.Text { MaxLength: null } && answers[at];
            var which = Array.FindIndex(answers, at + 2, Shapes.Length, holds => holds) - at - 2;
            found[text.Name] = text with
            {
                Type = isLong ? new FieldType.Text(Long: true) : text.Type,
                Values = new ValueEvidence
                {
                    IsShort = answers[at + 1],
                    Shape = which >= 0 ? Shapes[which].Shape : null,
                    Few =
                        !isLong && FormatGuess.MayBeChoice(text) && !table.IsUnique(text.Name)
                            ? await FewAsync(connection, table.Name, text.Name, cancellation)
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
        Shapes
            .Select(shape => $"coalesce(bool_and({column} ~* '{shape.Pattern}') FILTER (WHERE {column} <> ''), false)")
            .Prepend($"coalesce(max(length({column})) <= {MostOfAName}, false)")
            .Prepend($"coalesce(bool_or(length({column}) > {MostOfALine} OR {column} ~ '[\n\r]'), false)");

    private static async Task<bool[]> AnswersAsync(NpgsqlConnection connection, string sql, CancellationToken cancellation)
    {
        await using var command = new NpgsqlCommand(sql, connection);
        await using var row = await command.ExecuteReaderAsync(cancellation);
        await row.ReadAsync(cancellation);
        return [.. Enumerable.Range(0, row.FieldCount).Select(row.GetBoolean)];
    }

    private static async Task<ImmutableArray<string>> FewAsync(
        NpgsqlConnection connection,
        TableName table,
        string column,
        CancellationToken cancellation
    )
    {
        var name = SqlIdentifier.Quote(column);
        await using var command = new NpgsqlCommand(
            $"""
            SELECT {name}::text, count(*)
            FROM (SELECT {name} FROM {SqlIdentifier.Quote(table)} WHERE {name} IS NOT NULL LIMIT {SampleOfChoices}) sample
            GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT {MostChoices + 1}
            """,
            connection
        );
        var values = new List<(string Text, long Times)>();
        await using var rows = await command.ExecuteReaderAsync(cancellation);
        while (await rows.ReadAsync(cancellation))
        {
            values.Add((rows.GetString(0), rows.GetInt64(1)));
        }

        return
            values.Count is >= 2 and <= MostChoices
            && values.Sum(value => value.Times) >= values.Count * LeastRepeated
            && values.All(value => value.Text.Trim().Length is > 0 and <= LongestChoice)
            ? [.. values.Select(value => value.Text)]
            : [];
    }
}
