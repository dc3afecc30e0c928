using System.Text;

namespace Rostrum.Sources.Sql;

/// <summary>A list in a formula, as rows of a sub-query: the related rows, narrowed, ordered, and what is looked at of each.</summary>
internal sealed class SqlRows
{
    private readonly List<(SqlRow Row, string? On)> _tables = [];
    private readonly List<string> _conditions = [];

    /// <param name="row">The first table's row.</param>
    /// <param name="inner">Its column that refers to the outer row.</param>
    /// <param name="outer">The outer row's column.</param>
    public SqlRows(SqlRow row, string inner, string outer)
    {
        _tables.Add((row, null));
        (Record, Inner, Outer) = (row, inner, outer);
    }

    public string Inner { get; }

    public string Outer { get; }

    /// <summary>The element, where the list is of records.</summary>
    public SqlRow? Record { get; set; }

    /// <summary>The element, where the list is of values.</summary>
    public SqlValue? Element { get; set; }

    /// <summary>Each element counts once.</summary>
    public bool Distinct { get; set; }

    /// <summary>Something in the rows depends on the outer row beside what relates the two.</summary>
    public bool Correlated { get; set; }

    /// <summary>What SORT orders by, the outermost first.</summary>
    public List<string> Order { get; } = [];

    public void Where(string condition) => _conditions.Add(condition);

    /// <summary>Adds rows that each of the present ones leads to.</summary>
    public void Add(SqlRow row, string on)
    {
        _tables.Add((row, on));
        Record = row;
    }

    /// <summary>The keys of all tables, by which the rows stand where nothing else orders them.</summary>
    public IEnumerable<SqlRow> Rows => _tables.Select(table => table.Row);

    /// <summary>FROM and WHERE; the last part is what relates the rows to the outer one, or what stands in its place.</summary>
    public string From(string? related)
    {
        var text = new StringBuilder(" FROM ");
        foreach (var (row, on) in _tables)
        {
            text.Append(on is null ? "" : " JOIN ").Append(on is null ? row.From : $"{row.From[..^row.Joins.Length]} ON {on}{row.Joins}");
        }

        var conditions = related is null ? _conditions : [related, .. _conditions];
        return text.Append(conditions.Count == 0 ? "" : " WHERE ").AppendJoin(" AND ", conditions).ToString();
    }
}
