using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>
/// What the rows of one statement have in common: the database, new names for tables, and which rows of a table may be seen.
/// </summary>
/// <param name="Dialect">The database.</param>
/// <param name="Prefix">What all aliases begin with.</param>
/// <param name="Visible">The condition on a dataset's rows under an alias; null where all may be seen.</param>
/// <remarks>What <see cref="Shown"/> says makes a column blank in rows where it is not to be read, wherever the statement uses it: an
/// index over it is of no use to such a person.</remarks>
internal sealed record SqlTables(SqlDialect Dialect, string Prefix, Func<Dataset, string, string?> Visible)
{
    private int _aliases;

    /// <summary>The condition on the rows of which a field may be read; null where it may be of all.</summary>
    public Func<SqlRow, FieldName, string?>? Shown { get; init; }

    /// <summary>Says what stands for a dataset's table, where that is a query; null where none may be read.</summary>
    public TableSql? Made { get; init; }

    /// <summary>A dataset's table, or what stands for it.</summary>
    public string Table(Dataset dataset) => Made?.Of(dataset) ?? Dialect.Quote(dataset.Table);

    public string NewAlias() => $"{Prefix}{++_aliases}";

    /// <summary>
    /// The same for a sub-query: its names are told from those around it, and two sub-queries that say the same say it in the same words.
    /// </summary>
    public SqlTables Within() => new(Dialect, $"{Prefix}_", Visible) { Made = Made, Shown = Shown };
}

/// <summary>
/// A table's row in a statement, with the rows that its relations lead to. Each relation is joined once, however many ways lead through it.
/// </summary>
internal sealed class SqlRow
{
    private readonly SqlTables _tables;
    private readonly List<Func<string>> _joins;
    private readonly Dictionary<FieldName, SqlRow> _related = [];
    private readonly Dictionary<FieldName, string?> _shown = [];

    private readonly string? _record;

    /// <param name="tables">What the statement's rows have in common.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="alias">The table's alias.</param>
    /// <param name="record">A sub-query that gives one record, in the place of the table.</param>
    public SqlRow(SqlTables tables, Dataset dataset, string alias, string? record = null)
        : this(tables, dataset, alias, []) => _record = record;

    private SqlRow(SqlTables tables, Dataset dataset, string alias, List<Func<string>> joins)
    {
        (_tables, _joins) = (tables, joins);
        (Dataset, Alias) = (dataset, alias);
    }

    public SqlTables Tables => _tables;

    public Dataset Dataset { get; }

    public string Alias { get; }

    /// <summary>The row that a relation leads to; all blank where it leads to none.</summary>
    public SqlRow Follow(Relation relation, Dataset target)
    {
        if (!_related.TryGetValue(relation.Name, out var related))
        {
            related = new SqlRow(_tables, target, _tables.NewAlias(), _joins);
            _related.Add(relation.Name, related);
            var visible = _tables.Visible(target, related.Alias);
            var join =
                $" LEFT JOIN {Table(target, related.Alias)} ON {related.Stored(relation.TargetField)} = "
                + $"{Column(relation.Field)}{(visible is null ? "" : $" AND {visible}")}";
            _joins.Add(() => join);
        }

        return related;
    }

    /// <summary>Adds a join whose text is known only once the whole statement is.</summary>
    public void Join(Func<string> join) => _joins.Add(join);

    /// <summary>A field's value; blank where it may not be read of the row.</summary>
    public string Column(FieldName field) => Shown(field) is { } shown ? $"(CASE WHEN {shown} THEN {Stored(field)} END)" : Stored(field);

    /// <summary>A field's value, whoever asks.</summary>
    public string Stored(FieldName field) => $"{Alias}.{_tables.Dialect.Quote(Dataset[field].Column)}";

    /// <summary>The condition on the rows of which a field may be read; null where it may be of all.</summary>
    public string? Shown(FieldName field)
    {
        if (_tables.Shown is not { } condition)
        {
            return null;
        }

        if (!_shown.TryGetValue(field, out var shown))
        {
            _shown.Add(field, shown = condition(this, field));
        }

        return shown;
    }

    public SqlColumn ColumnOf(Field field) => new(Column(field.Name), Shown(field.Name) is null ? field : field with { Required = false });

    /// <summary>The table with its alias, and the joins that have been made.</summary>
    public string From => $"{(_record is null ? Table(Dataset, Alias) : $"{_record} {Alias}")}{Joins}";

    /// <summary>The row is of no table: it may have no key yet.</summary>
    public bool IsMadeUp => _record is not null;

    public string Joins => string.Concat(_joins.Select(join => join()));

    private string Table(Dataset dataset, string alias) => $"{_tables.Table(dataset)} {alias}";
}
