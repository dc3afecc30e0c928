using System.Collections.Immutable;
using System.Data.Common;
using System.Globalization;
using System.Text.RegularExpressions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Sources.Sql;

/// <summary>
/// Asks the values of a database what they are, where names and types do not say it: a sample of each table is read, and looked at here.
/// </summary>
internal static class SampledValues
{
    // Characters. More do not fit the line of a form.
    public const int MostOfALine = 120;
    public const int MostOfAName = 60;

    // Of a table's rows.
    public const int Sample = 1000;
    private const int SampleOfChoices = 100_000;

    // So many different texts are a choice, where each stands there so often on average.
    private const int MostChoices = 12;
    private const int LeastRepeated = 3;
    private const int LongestChoice = 40;

    /// <summary>What texts of a shape fit, whatever their capitals; in words that databases with regular expressions read alike.</summary>
    public static readonly ImmutableArray<(TextShape Shape, string Pattern)> Shapes =
    [
        (TextShape.EmailAddress, @"^[^@\s]+@[^@\s]+\.[^@\s]+$"),
        (TextShape.PictureAddress, @"^https?://\S+\.(png|jpe?g|gif|webp|svg|avif)(\?\S*)?$"),
        (TextShape.WebAddress, @"^https?://\S+$"),
        (TextShape.Colour, "^#([0-9a-f]{3}|[0-9a-f]{6})$"),
        (TextShape.PhoneNumber, @"^\+?[0-9][0-9 ()/.-]{5,}$"),
    ];

    private static readonly (TextShape Shape, Regex Pattern)[] Patterns =
    [
        .. Shapes.Select(shape =>
            (
                shape.Shape,
                new Regex(
                    shape.Pattern,
                    RegexOptions.IgnoreCase | RegexOptions.CultureInvariant | RegexOptions.ExplicitCapture,
                    TimeSpan.FromSeconds(1)
                )
            )
        ),
    ];

    /// <summary>The structure with what a sample of each table's values says. A table that cannot be read stays as it is.</summary>
    public static async Task<SourceStructure> AddToAsync(
        SqlEngine engine,
        DbConnection connection,
        SourceStructure structure,
        CancellationToken cancellation
    )
    {
        var tables = ImmutableArray.CreateBuilder<TableStructure>();
        foreach (var table in structure.Tables)
        {
            try
            {
                tables.Add(table.IsView ? table : await OfAsync(engine, connection, table, cancellation));
            }
            catch (DbException)
            {
                tables.Add(table);
            }
        }

        return new SourceStructure(tables.ToImmutable());
    }

    /// <summary>How many of a candidate's different values stand in the target's key.</summary>
    public static async Task<RelationEvidence> WeighAsync(
        SqlEngine engine,
        DbConnection connection,
        RelationCandidate candidate,
        CancellationToken cancellation
    )
    {
        var (column, target) = (engine.Quote(candidate.Column), engine.Quote(candidate.TargetColumn));
        await using var command = connection.CreateCommand();
        command.CommandText = $"""
            SELECT count(*), coalesce(sum(CASE WHEN EXISTS (SELECT 1 FROM {engine.Quote(candidate.Target)} t WHERE t.{target} = v.value)
                                          THEN 1 ELSE 0 END), 0)
            FROM (SELECT DISTINCT s.{column} AS value
                  FROM (SELECT {column} FROM {engine.Quote(candidate.From)} WHERE {column} IS NOT NULL LIMIT {SampleOfChoices}) s) v
            """;
        await using var row = await command.ExecuteReaderAsync(cancellation);
        await row.ReadAsync(cancellation);
        return new RelationEvidence(candidate, row.GetInt64(0), Convert.ToInt64(row.GetValue(1), CultureInfo.InvariantCulture));
    }

    private static async Task<TableStructure> OfAsync(
        SqlEngine engine,
        DbConnection connection,
        TableStructure table,
        CancellationToken cancellation
    )
    {
        var asked = table.Columns.Where(column => column.Type is FieldType.Text || FormatGuess.MayBePercent(column)).ToArray();
        if (asked.Length == 0)
        {
            return table;
        }

        var values = asked.Select(_ => new List<object>()).ToArray();
        await using (var command = connection.CreateCommand())
        {
            command.CommandText =
                $"SELECT {string.Join(", ", asked.Select(column => engine.Quote(column.Name)))} "
                + $"FROM {engine.Quote(table.Name)} LIMIT {Sample}";
            await using var rows = await command.ExecuteReaderAsync(cancellation);
            while (await rows.ReadAsync(cancellation))
            {
                for (var at = 0; at < asked.Length; at++)
                {
                    if (!rows.IsDBNull(at) && engine.Read(rows, at, asked[at].Type) is { } value and not Unreadable)
                    {
                        values[at].Add(value);
                    }
                }
            }
        }

        var found = new Dictionary<string, ColumnStructure>(StringComparer.Ordinal);
        foreach (var (column, of) in asked.Zip(values))
        {
            found[column.Name] =
                column.Type is FieldType.Text
                    ? await WithTextsAsync(engine, connection, table, column, [.. of.OfType<string>()], cancellation)
                    : column with
                    {
                        Values = new ValueEvidence { IsShare = of.Count > 0 && of.All(IsShare) },
                    };
        }

        return table with
        {
            Columns = [.. table.Columns.Select(column => found.GetValueOrDefault(column.Name, column))],
        };
    }

    private static bool IsShare(object value) => Convert.ToDecimal(value, CultureInfo.InvariantCulture) is >= 0 and <= 1;

    private static async Task<ColumnStructure> WithTextsAsync(
        SqlEngine engine,
        DbConnection connection,
        TableStructure table,
        ColumnStructure column,
        string[] texts,
        CancellationToken cancellation
    )
    {
        var isLong =
            column.Type is FieldType.Text { MaxLength: null } && texts.Any(text => text.Length > MostOfALine || text.Contains('\n'));
        var written = texts.Where(text => text.Length > 0).ToArray();
        return column with
        {
            Type = isLong ? new FieldType.Text(Long: true) : column.Type,
            Values = new ValueEvidence
            {
                IsShort = texts.Length > 0 && texts.All(text => text.Length <= MostOfAName),
                Shape =
                    written.Length == 0
                        ? null
                        : Patterns
                            .Where(shape => written.All(shape.Pattern.IsMatch))
                            .Select(shape => (TextShape?)shape.Shape)
                            .FirstOrDefault(),
                Few =
                    !isLong && FormatGuess.MayBeChoice(column) && !table.IsUnique(column.Name)
                        ? await FewAsync(engine, connection, table.Name, column.Name, cancellation)
                        : [],
            },
        };
    }

    /// <summary>The texts of a column, the most frequent first, where they are few enough to be a choice.</summary>
    public static async Task<ImmutableArray<string>> FewAsync(
        SqlEngine engine,
        DbConnection connection,
        TableName table,
        string column,
        CancellationToken cancellation
    )
    {
        var name = engine.Quote(column);
        await using var command = connection.CreateCommand();
        command.CommandText = $"""
            SELECT {engine.CodecOf(new FieldType.Text()).Selected(name)}, count(*)
            FROM (SELECT {name} FROM {engine.Quote(table)} WHERE {name} IS NOT NULL LIMIT {SampleOfChoices}) sample
            GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT {MostChoices + 1}
            """;
        var values = new List<(string Text, long Times)>();
        await using var rows = await command.ExecuteReaderAsync(cancellation);
        while (await rows.ReadAsync(cancellation))
        {
            values.Add((Convert.ToString(rows.GetValue(0), CultureInfo.InvariantCulture)!, rows.GetInt64(1)));
        }

        return
            values.Count is >= 2 and <= MostChoices
            && values.Sum(value => value.Times) >= values.Count * LeastRepeated
            && values.All(value => value.Text.Trim().Length is > 0 and <= LongestChoice)
            ? [.. values.Select(value => value.Text)]
            : [];
    }
}
