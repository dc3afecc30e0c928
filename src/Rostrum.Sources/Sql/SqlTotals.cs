namespace Rostrum.Sources.Sql;

/// <summary>
/// Totals over related rows that are computed for all rows of a statement at once: one grouped sub-query for each list, joined to the row.
/// </summary>
/// <remarks>For a page's few rows a sub-query a row may be cheaper; where rows are sorted or narrowed by a total, this always is.</remarks>
internal sealed class SqlTotals(SqlTables tables)
{
    private readonly Dictionary<(SqlRow, string), Group> _groups = [];

    /// <summary>Limits the outer rows that are grouped for: a query of their keys, for a column of theirs.</summary>
    public Func<SqlRow, string, string?> Within { get; init; } = (_, _) => null;

    /// <summary>The column that holds an aggregate for the row.</summary>
    public string Add(SqlRow row, SqlRows rows, string aggregate)
    {
        var from = rows.From(null);
        if (!_groups.TryGetValue((row, $"{rows.Inner}={rows.Outer}{from}"), out var group))
        {
            var within = Within(row, rows.Outer) is { } keys ? $"{rows.Inner} IN ({keys})" : null;
            group = new Group(tables.NewAlias(), rows, within);
            _groups.Add((row, $"{rows.Inner}={rows.Outer}{from}"), group);
            row.Join(() => group.Join);
        }

        return group.Add(aggregate);
    }

    private sealed class Group(string alias, SqlRows rows, string? within)
    {
        private readonly List<string> _aggregates = [];

        public string Join =>
            $" LEFT JOIN (SELECT {rows.Inner} AS k, "
            + $"{string.Join(", ", _aggregates.Select((aggregate, index) => $"{aggregate} AS v{index}"))}{rows.From(within)} "
            + $"GROUP BY {rows.Inner}) {alias} ON {alias}.k = {rows.Outer}";

        public string Add(string aggregate)
        {
            var index = _aggregates.IndexOf(aggregate);
            if (index < 0)
            {
                index = _aggregates.Count;
                _aggregates.Add(aggregate);
            }

            return $"{alias}.v{index}";
        }
    }
}
