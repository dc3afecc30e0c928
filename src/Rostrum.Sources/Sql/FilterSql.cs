using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>A filter as a condition in SQL. Values become parameters; a comparison with a blank is false and not unknown.</summary>
internal static class FilterSql
{
    /// <param name="filter">The filter.</param>
    /// <param name="row">The row that is decided on.</param>
    /// <param name="sql">Takes the values.</param>
    /// <param name="holds">Translates a formula; without it, records for which a formula must hold are not there.</param>
    public static string Of(Filter filter, SqlRow row, SqlText sql, Func<Filter.Holds, string>? holds = null)
    {
        var dataset = row.Dataset;
        return filter switch
        {
            Filter.Everything or Filter.Given => "TRUE",
            Filter.Nothing => "FALSE",
            Filter.And { Parts.IsEmpty: true } => "TRUE",
            Filter.Or { Parts.IsEmpty: true } => "FALSE",
            Filter.And and => $"({string.Join(" AND ", and.Parts.Select(part => Of(part, row, sql, holds)))})",
            Filter.Or or => $"({string.Join(" OR ", or.Parts.Select(part => Of(part, row, sql, holds)))})",
            Filter.Not not => $"({Of(not.Part, row, sql, holds)} IS NOT TRUE)",
            Filter.Holds formula => holds?.Invoke(formula) ?? "FALSE",
            Filter.OneOf oneOf => OneOf(oneOf, dataset[oneOf.Field], row.Column(oneOf.Field), sql),
            Filter.Compare compare =>
                $"{row.Column(compare.Field)} {Operator(compare.Comparison)} {sql.Value(dataset[compare.Field], compare.Value)}",
            Filter.Alike alike => Alike(alike, row, sql.Engine),
            Filter.Contains contains => sql.Engine.Like(
                dataset[contains.Field],
                row.Column(contains.Field),
                sql.Text(Pattern(contains.Text))
            ),
            _ => throw new ArgumentOutOfRangeException(nameof(filter), filter, "unknown filter"),
        };
    }

    /// <summary>The LIKE pattern for "has this text in it": the text's own wildcards are taken literally.</summary>
    public static string Pattern(string text) =>
        "%"
        + text.Replace("\\", "\\\\", StringComparison.Ordinal)
            .Replace("%", "\\%", StringComparison.Ordinal)
            .Replace("_", "\\_", StringComparison.Ordinal)
        + "%";

    private static string OneOf(Filter.OneOf oneOf, Field field, string column, SqlText sql)
    {
        var values = oneOf.Values.Where(value => value is not null).Select(value => sql.Value(field, value)).ToArray();
        var isIn = values.Length == 0 ? "FALSE" : sql.Engine.Equals(field, column, values);
        return oneOf.Values.Contains(null) ? $"({isIn} OR {column} IS NULL)" : isIn;
    }

    // Those with equals are found in one look, and not by a look for each row.
    private static string Alike(Filter.Alike alike, SqlRow row, SqlEngine engine)
    {
        string Columns(string of) => string.Join(", ", alike.Among.Select(name => $"{of}.{engine.Quote(row.Dataset[name].Column)}"));
        return $"({Columns(row.Alias)}) IN (SELECT {Columns("u")} FROM {row.Tables.Table(row.Dataset)} u GROUP BY {Columns("u")} "
            + "HAVING count(*) > 1)";
    }

    private static string Operator(Comparison comparison) =>
        comparison switch
        {
            Comparison.Less => "<",
            Comparison.AtMost => "<=",
            Comparison.More => ">",
            Comparison.AtLeast => ">=",
            _ => throw new ArgumentOutOfRangeException(nameof(comparison), comparison, "unknown comparison"),
        };
}
