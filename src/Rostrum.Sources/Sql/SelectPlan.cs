using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Sql;

/// <summary>A value that a statement can select: an expression and the field whose type it has.</summary>
/// <param name="Sql">The expression.</param>
/// <param name="Field">The field.</param>
/// <param name="Nullable">Whether it may be blank, by itself or because a join finds nothing.</param>
internal sealed record Leaf(string Sql, Field Field, bool Nullable);

/// <summary>A part of a title.</summary>
/// <param name="Leaf">Its value; of a field of another source, the value by which the record there is found.</param>
/// <param name="Apart">The field of another source; null where the value is the part.</param>
internal sealed record TitlePart(Leaf Leaf, ApartField? Apart = null);

/// <summary>A field of a record in another source.</summary>
/// <param name="Relation">The relation that leads to the record.</param>
/// <param name="Target">The record's dataset.</param>
/// <param name="Field">The field.</param>
internal sealed record ApartField(Relation Relation, Dataset Target, Field Field);

/// <summary>The FROM and WHERE of one statement over a dataset: which joins it needs, and what the grants allow it to see.</summary>
/// <remarks>A relation is joined once, however many titles, sorts, searches and formulas lead through it.</remarks>
internal sealed class SelectPlan
{
    private readonly DatasetCatalogue _catalogue;
    private readonly Grants _grants;
    private readonly SqlText _sql;
    private readonly FormulaContext _context;
    private readonly RequestFormulas? _formulas;
    private readonly FormulaSql? _translator;
    private DatasetShapes? _shapes;
    private readonly Lazy<string?> _seen;
    private readonly Dictionary<FieldName, (Leaf? Leaf, string? Refusal)> _computed = [];

    /// <param name="scope">Whose request it is for.</param>
    /// <param name="dataset">The dataset.</param>
    /// <param name="sql">Takes the values.</param>
    /// <param name="alias">The table's alias.</param>
    /// <param name="page">The sub-query that has found the page's keys already, where there is one: totals need not go beyond them.</param>
    /// <param name="record">A sub-query that gives one record in the place of the table, where it is not of the table.</param>
    public SelectPlan(RequestScope scope, Dataset dataset, SqlText sql, string alias, string? page = null, string? record = null)
    {
        var (catalogue, grants, context, formulas) = scope;
        (_catalogue, _grants, _sql, _formulas) = (catalogue, grants, sql, formulas);
        sql.Table ??= dataset.Table.ToString();
        _context = context;
        Granted = new GrantSql(catalogue, grants, sql, context);
        var made = new TableSql(catalogue, grants, sql, context, formulas?.Parameters);

        // Before anything else is in the statement: copies of it have its values then.
        made.Of(dataset);
        var tables = new SqlTables(Dialect, alias, (related, other) => Granted.For(related, other, Verbs.View))
        {
            Made = made,
            Shown = grants.Rights.HasFieldsByRecord ? Granted.Shown : null,
        };
        Row = new SqlRow(tables, dataset, alias, record);
        _seen = new(() => Granted.For(Row, Verbs.View));
        if (formulas is { AreNone: false })
        {
            var totals = new SqlTotals(tables)
            {
                Within = (row, outer) =>
                    page is not null && dataset.Key.FirstOrDefault(key => row.Column(key) == outer) is { Value: not null } key
                        ? $"SELECT {Dialect.Quote(dataset[key].Column)} FROM {page}"
                        : null,
            };
            _translator = new FormulaSql(Dialect, formulas.Shapes, sql, context, Row, totals);
        }
    }

    public SqlEngine Engine => _sql.Engine;

    private SqlDialect Dialect => _sql.Engine.Dialect;

    public GrantSql Granted { get; }

    public SqlRow Row { get; }

    public Dataset Dataset => Row.Dataset;

    public string Alias => Row.Alias;

    private Grant Grant => _grants.For(Dataset.Id);

    /// <summary>A field of the dataset itself; blank in records of which the person may not read it.</summary>
    public Leaf Own(FieldName name) => LeafOf(Row, Dataset[name], !Dataset[name].Required || Row.Shown(name) is not null);

    /// <summary>A field of the dataset itself, whoever asks.</summary>
    public Leaf Stored(FieldName name) => new(Row.Stored(name), Dataset[name], !Dataset[name].Required);

    /// <summary>Where among the dataset's stored fields each of some values is; null where one is anything else.</summary>
    public int[]? StoredPlaces(IReadOnlyCollection<Leaf> leaves)
    {
        var places = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var field in Dataset.StoredFields)
        {
            places.Add(Row.Stored(field.Name), places.Count);
        }

        int[] found = [.. leaves.Select(leaf => places.GetValueOrDefault(leaf.Sql, -1))];
        return found.Contains(-1) ? null : found;
    }

    /// <summary>Whether the person may read a field of a record, as a number; null where they may of all.</summary>
    public Leaf? Shows(FieldName name) =>
        Row.Shown(name) is { } shown ? new Leaf($"CASE WHEN {shown} THEN 1 ELSE 0 END", Counted, Nullable: false) : null;

    private static readonly Field Counted = ComputedLeaf.FieldOf(new FieldName("shown"), new FieldType.Integer(), "int4");

    /// <summary>The value at the end of a path; null where the grants do not lead there, or no statement does.</summary>
    public Leaf? Resolve(FieldPath path) => PartAt(path) is { Apart: null, Leaf: var leaf } ? leaf : null;

    private TitlePart? PartAt(FieldPath path)
    {
        var (row, grant) = (Row, Grant);
        foreach (var (at, step) in path.Relations.Index())
        {
            var relation = row.Dataset.Relations.FirstOrDefault(candidate => candidate.Name == step);
            if (
                relation is null
                || !grant.Readable.Has(relation.Field)
                || _catalogue.Find(relation.Target) is not { } target
                || !_grants.For(target.Id).Allows(Verbs.View)
            )
            {
                return null;
            }

            if (row.Dataset.IsApartFrom(target))
            {
                return at == path.Relations.Length - 1 && target.Find(path.Field) is { Formula: null } there
                    ? new TitlePart(LeafOf(row, row.Dataset[relation.Field], nullable: true), new ApartField(relation, target, there))
                    : null;
            }

            (row, grant) = (row.Follow(relation, target), _grants.For(target.Id));
        }

        return row.Dataset.Find(path.Field) is not { } field || !grant.Readable.Has(path.Field) ? null
            : field.Formula is null ? new TitlePart(LeafOf(row, field, row != Row || !field.Required))
            : ComputedAt(path, field) is { } computed ? new TitlePart(computed)
            : null;
    }

    // A computed part of a title; null where the person may not follow its formula, or the server cannot.
    private Leaf? ComputedAt(FieldPath path, Field field)
    {
        if (!_computed.TryGetValue(new FieldName(path.ToString()), out var computed))
        {
            _shapes ??= _formulas?.Shapes ?? DatasetShapes.Of(_catalogue, _grants);
            var tree = FormulaNames
                .None.Check(
                    _shapes.Of(Dataset).Shape,
                    string.Join('.', path.Relations.Append(path.Field).Select(name => Formatter.Name(name.Value)))
                )
                .Tree;
            var translator = _translator ?? new FormulaSql(Dialect, _shapes, _sql, _context, Row, new SqlTotals(Row.Tables));
            computed = (tree is not null && translator.Value(tree) is { } value ? LeafOf(Engine, field.Name, value, field) : null, null);
            _computed.Add(new FieldName(path.ToString()), computed);
        }

        return computed.Leaf;
    }

    /// <summary>The values that name this dataset's records.</summary>
    public ImmutableArray<Leaf> Title() => [.. Dataset.Title.Select(Resolve).OfType<Leaf>()];

    /// <summary>The values that name the record to which a relation leads.</summary>
    public ImmutableArray<Leaf> TitleOf(Relation relation) => [.. TitlePaths(relation).Select(Resolve).OfType<Leaf>()];

    /// <summary>What names this dataset's records, or those to which a relation leads, with what is read of other sources.</summary>
    public ImmutableArray<TitlePart> TitleParts(Relation? relation) =>
        [.. (relation is null ? Dataset.Title : TitlePaths(relation)).Select(PartAt).OfType<TitlePart>()];

    private IEnumerable<FieldPath> TitlePaths(Relation relation) =>
        _catalogue.Find(relation.Target)?.Title.Select(path => path with { Relations = path.Relations.Insert(0, relation.Name) }) ?? [];

    /// <summary>The dataset to which a relation leads, where it is read by itself.</summary>
    public Dataset? ApartTarget(Relation relation) => _catalogue.ApartTarget(Dataset, relation);

    /// <summary>A computed column; null where the server cannot compute it, and then the reason.</summary>
    public (Leaf? Leaf, string? Refusal) Computed(FieldName name)
    {
        if (!_computed.TryGetValue(name, out var computed))
        {
            computed = _translator!.Value(_formulas!.Columns[name]) is { } value
                ? (LeafOf(Engine, name, value, Dataset.Find(name)), null)
                : (null, _translator.Refusal);
            _computed.Add(name, computed);
        }

        return computed;
    }

    /// <summary>Why the server cannot decide a condition; null where it can.</summary>
    public string? WhyNot(Filter filter) =>
        filter.Conditions.Select(condition => Holds(condition).Refusal).FirstOrDefault(refusal => refusal is not null);

    /// <summary>
    /// What the rows are ordered by for one wish: a computed column, a related record's title where it can be read, else the field.
    /// </summary>
    /// <remarks>Where the server cannot compute it, the statement is refused.</remarks>
    public ImmutableArray<Leaf> SortLeaves(SortBy sort)
    {
        if (_formulas?.Columns.ContainsKey(sort.Field) != true)
        {
            return Dataset.RelationOf(sort.Field) is { } relation && TitleOf(relation) is { IsEmpty: false } title
                ? title
                : [Own(sort.Field)];
        }

        if (Computed(sort.Field).Leaf is { } leaf)
        {
            return [leaf];
        }

        _sql.Refuse();
        return [];
    }

    /// <summary>
    /// FROM, joins and WHERE for what has been resolved so far; the conditions are made first, as they may need joins. Where the server
    /// cannot decide one, the statement is refused.
    /// </summary>
    public string From(Filter filter, string search, string? further = null) =>
        From([.. Conditions(filter, search), .. further is null ? (string[])[] : [further]]);

    /// <summary>The conditions of that: what the person may see, the filter, the words of the search.</summary>
    public ImmutableArray<string> Conditions(Filter filter, string search) =>
        [
            .. Seen,
            .. Conditions(filter),
            .. Words(search).Select(word => Search(word) is { InMemory.IsEmpty: true } found ? found.Sql : _sql.Refuse()),
        ];

    /// <summary>The condition on records that the person may see, where there is one.</summary>
    public IEnumerable<string> Seen => _seen.Value is { } seen ? [seen] : [];

    public string From(IReadOnlyCollection<string> conditions) =>
        $" FROM {Row.From}{(conditions.Count > 0 ? $" WHERE {string.Join(" AND ", conditions)}" : "")}";

    public string Table() => Row.From[..^Row.Joins.Length];

    public string Joins() => Row.Joins;

    /// <summary>
    /// A condition on the dataset's records, which is true or not true and never unknown to a caller that negates it. Where the server
    /// cannot decide it, the statement is refused.
    /// </summary>
    public string Condition(Filter filter) => FilterSql.Of(filter, Row, _sql, holds => Holds(holds).Sql ?? _sql.Refuse());

    /// <summary>The words of a search.</summary>
    public static IEnumerable<string> Words(string search) =>
        search.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Distinct();

    /// <summary>
    /// Where a word may be found: in a text of the record, in the title of a record to which it refers, or in a computed text. Those that
    /// the server cannot compute are named.
    /// </summary>
    /// <remarks>The titles are looked up in a sub-query of their own, which the server answers once and not for each row.</remarks>
    public (string Sql, ImmutableArray<FieldName> InMemory) Search(string word)
    {
        var pattern = _sql.Text(FilterSql.Pattern(word));
        var titles = Dataset
            .Relations.Select(relation => (relation.Field, Sql: FoundElsewhere(relation, word) ?? TitleSearch(relation, pattern)))
            .Where(title => title.Sql is not null)
            .ToArray();
        var computed = (_formulas?.Columns ?? new Dictionary<FieldName, Typed>())
            .Where(column => column.Value.Type is FormulaType.Text or FormulaType.Choice)
            .Select(column => (column.Key, Computed(column.Key).Leaf))
            .ToArray();
        var places = Dataset
            .Fields.Where(field =>
                field.Formula is null && Grant.Readable.Has(field.Name) && titles.All(title => title.Field != field.Name)
            )
            .Select(field => TextSearch(field, word, pattern))
            .OfType<string>()
            .Concat(titles.Select(title => title.Sql!))
            .Concat(
                computed
                    .Where(column => column.Leaf is not null)
                    .Select(column => Engine.Like(column.Leaf!.Field, column.Leaf.Sql, pattern))
            )
            .Concat(NumberSearch(word))
            .ToArray();
        return (
            places.Length > 0 ? $"({string.Join(" OR ", places)})" : "FALSE",
            [.. computed.Where(column => column.Leaf is null).Select(column => column.Key)]
        );
    }

    private (string? Sql, string? Refusal) Holds(Filter.Holds condition) =>
        _translator!.Condition(_formulas![condition]) is { } sql ? ($"({sql})", null) : (null, _translator.Refusal);

    private IEnumerable<string> Conditions(Filter filter) =>
        filter switch
        {
            Filter.Everything => [],
            Filter.And and => and.Parts.SelectMany(Conditions),
            _ => [Condition(filter)],
        };

    // The options of a choice are few and known: the server need not look into them for each row.
    private string? TextSearch(Field field, string word, string pattern)
    {
        var column = Row.Column(field.Name);
        return field.Type switch
        {
            FieldType.Text => Engine.Like(field, column, pattern),
            FieldType.Choice choice
                when choice.Options.Where(option => option.Contains(word, StringComparison.OrdinalIgnoreCase)).ToArray()
                    is { Length: > 0 } options => $"{column} IN ({string.Join(", ", options.Select(option => _sql.Value(field, option)))})",
            _ => null,
        };
    }

    // Records of another source whose titles have the word in them were looked up before: here are their keys.
    private string? FoundElsewhere(Relation relation, string word) =>
        _formulas?.Found.TryGetValue((relation.Name, word), out var keys) != true ? null
        : keys.IsEmpty ? "FALSE"
        : Engine.IsIn(_sql, Dataset[relation.Field], Row.Column(relation.Field), [.. keys]);

    private string? TitleSearch(Relation relation, string pattern)
    {
        if (
            !Grant.Readable.Has(relation.Field)
            || _catalogue.Find(relation.Target) is not { } target
            || Dataset.IsApartFrom(target)
            || !_grants.For(target.Id).Allows(Verbs.View)
        )
        {
            return null;
        }

        var inner = new SelectPlan(new RequestScope(_catalogue, _grants, _context), target, _sql, $"{Alias}s");
        var places = inner
            .Title()
            .Where(leaf => leaf.Field.Type.IsTextual)
            .Select(leaf => Engine.Like(leaf.Field, leaf.Sql, pattern))
            .ToArray();
        return places.Length == 0
            ? null
            : $"{Row.Column(relation.Field)} IN (SELECT "
                + $"{inner.Stored(relation.TargetField).Sql}{inner.From(new Filter.Everything(), "", $"({string.Join(" OR ", places)})")})";
    }

    private IEnumerable<string> NumberSearch(string word) =>
        Dataset.Key is [var key]
        && Dataset[key].Type is FieldType.Integer
        && Grant.IsReadableInAll(key)
        && long.TryParse(word, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? [$"{Stored(key).Sql} = {_sql.Number(number)}"]
            : [];

    // A computed field is shown in its own format, as a column and in a title alike.
    private static Leaf LeafOf(SqlEngine engine, FieldName name, SqlValue value, Field? field) =>
        ComputedLeaf.Of(engine, name, value) is var leaf && field is null
            ? leaf
            : leaf with
            {
                Field = leaf.Field with
                {
                    Format = field.Format,
                    Type = field.Type is FieldType.Number && leaf.Field.Type is FieldType.Number ? field.Type : leaf.Field.Type,
                },
            };

    private static Leaf LeafOf(SqlRow row, Field field, bool nullable) => new(row.Column(field.Name), field, nullable);
}
