using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Postgres;

/// <summary>A value that a statement can select: an expression and the field whose type it has.</summary>
/// <param name="Sql">The expression.</param>
/// <param name="Field">The field.</param>
/// <param name="Nullable">Whether it may be blank, by itself or because a join finds nothing.</param>
internal sealed record Leaf(string Sql, Field Field, bool Nullable);

/// <summary>The FROM and WHERE of one statement over a dataset: which joins it needs, and what the grants allow it to see.</summary>
/// <remarks>A relation is joined once, however many titles, sorts and searches lead through it.</remarks>
internal sealed class SelectPlan(DatasetCatalogue catalogue, Grants grants, Dataset dataset, SqlText sql, string alias)
{
    private readonly Dictionary<string, Hop> _joins = [];

    private sealed record Hop(Dataset Dataset, string Alias, string Join);

    public Dataset Dataset { get; } = dataset;

    public string Alias { get; } = alias;

    private Grant Grant => grants.For(Dataset.Id);

    /// <summary>A field of the dataset itself, whatever the grant says.</summary>
    public Leaf Own(FieldName name) => LeafOf(Dataset[name], Alias, !Dataset[name].Required);

    /// <summary>The value at the end of a path; null where the grants do not lead there.</summary>
    public Leaf? Resolve(FieldPath path)
    {
        var (dataset, alias, grant) = (Dataset, Alias, Grant);
        var way = "";
        foreach (var step in path.Relations)
        {
            var relation = dataset.Relations.FirstOrDefault(candidate => candidate.Name == step);
            if (relation is null || !grant.Readable.Has(relation.Field) || catalogue.Find(relation.Target) is not { } target || !grants.For(target.Id).Allows(Verbs.View))
            {
                return null;
            }

            way += "." + step;
            if (!_joins.TryGetValue(way, out var hop))
            {
                hop = Join(dataset, alias, relation, target);
                _joins.Add(way, hop);
            }

            (dataset, alias, grant) = (hop.Dataset, hop.Alias, grants.For(hop.Dataset.Id));
        }

        return dataset.Find(path.Field) is { } field && grant.Readable.Has(path.Field)
            ? LeafOf(field, alias, way.Length > 0 || !field.Required)
            : null;
    }

    /// <summary>The values that name this dataset's records.</summary>
    public ImmutableArray<Leaf> Title() => [.. Dataset.Title.Select(Resolve).OfType<Leaf>()];

    /// <summary>The values that name the record to which a relation leads.</summary>
    public ImmutableArray<Leaf> TitleOf(Relation relation) => catalogue.Find(relation.Target) is { } target
        ? [.. target.Title.Select(path => Resolve(path with { Relations = path.Relations.Insert(0, relation.Name) })).OfType<Leaf>()]
        : [];

    /// <summary>What the rows are ordered by for one wish: a related record's title where it can be read, else the field.</summary>
    public ImmutableArray<Leaf> SortLeaves(SortBy sort) =>
        Dataset.RelationOf(sort.Field) is { } relation && TitleOf(relation) is { IsEmpty: false } title ? title : [Own(sort.Field)];

    /// <summary>FROM, joins and WHERE for what has been resolved so far; the conditions are made first, as they may need joins.</summary>
    public string From(Filter filter, string search, string? further = null)
    {
        var conditions = new List<string>();
        AddCondition(conditions, Grant.Condition);
        AddCondition(conditions, filter);
        conditions.AddRange(SearchConditions(search));
        if (further is not null)
        {
            conditions.Add(further);
        }

        return $" FROM {Table()}{Joins()}" + (conditions.Count > 0 ? $" WHERE {string.Join(" AND ", conditions)}" : "");
    }

    public string Table() => $"{SqlIdentifier.Quote(Dataset.Table)} {Alias}";

    public string Joins() => string.Concat(_joins.Values.Select(hop => hop.Join));

    /// <summary>A condition on the dataset's own fields, which is true or not true and never unknown to a caller that negates it.</summary>
    public string Condition(Filter filter) => FilterSql.Of(filter, Dataset, Alias, sql);

    private Hop Join(Dataset from, string alias, Relation relation, Dataset target)
    {
        var joined = $"{Alias}{_joins.Count + 1}";
        var on = $"{joined}.{SqlIdentifier.Quote(target[relation.TargetField].Column)} = {alias}.{SqlIdentifier.Quote(from[relation.Field].Column)}";
        var condition = grants.For(target.Id).Condition;
        if (condition is not Filter.Everything)
        {
            on += $" AND {FilterSql.Of(condition, target, joined, sql)}";
        }

        return new Hop(target, joined, $" LEFT JOIN {SqlIdentifier.Quote(target.Table)} {joined} ON {on}");
    }

    private void AddCondition(List<string> conditions, Filter filter)
    {
        if (filter is not Filter.Everything)
        {
            conditions.Add(Condition(filter));
        }
    }

    // Each word must be found in a text of the record, or in the title of a record to which it refers. The titles are
    // looked up in a sub-query of their own, which the server answers once and not for each row.
    private IEnumerable<string> SearchConditions(string search)
    {
        foreach (var word in search.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).Distinct())
        {
            var pattern = sql.Text(FilterSql.Pattern(word));
            var titles = Dataset.Relations.Select(relation => (relation.Field, Sql: TitleSearch(relation, pattern))).Where(title => title.Sql is not null).ToArray();
            var places = Dataset.Fields
                .Where(field => Grant.Readable.Has(field.Name) && titles.All(title => title.Field != field.Name))
                .Select(field => TextSearch(field, word, pattern))
                .OfType<string>()
                .Concat(titles.Select(title => title.Sql!))
                .Concat(NumberSearch(word))
                .ToArray();
            yield return places.Length > 0 ? $"({string.Join(" OR ", places)})" : "FALSE";
        }
    }

    // The options of a choice are few and known: the server need not look into them for each row.
    private string? TextSearch(Field field, string word, string pattern)
    {
        var column = $"{Alias}.{SqlIdentifier.Quote(field.Column)}";
        return field.Type switch
        {
            FieldType.Text => FilterSql.Like(field, column, pattern),
            FieldType.Choice choice when choice.Options.Where(option => option.Contains(word, StringComparison.OrdinalIgnoreCase)).ToArray() is { Length: > 0 } options =>
                $"{column} IN ({string.Join(", ", options.Select(option => sql.Value(field, option)))})",
            _ => null,
        };
    }

    private string? TitleSearch(Relation relation, string pattern)
    {
        if (!Grant.Readable.Has(relation.Field) || catalogue.Find(relation.Target) is not { } target || !grants.For(target.Id).Allows(Verbs.View))
        {
            return null;
        }

        var inner = new SelectPlan(catalogue, grants, target, sql, $"{Alias}s");
        var places = inner.Title().Where(leaf => leaf.Field.Type.IsTextual).Select(leaf => FilterSql.Like(leaf.Field, leaf.Sql, pattern)).ToArray();
        return places.Length == 0 ? null
            : $"{Alias}.{SqlIdentifier.Quote(Dataset[relation.Field].Column)} IN (SELECT {inner.Own(relation.TargetField).Sql}{inner.From(new Filter.Everything(), "", $"({string.Join(" OR ", places)})")})";
    }

    private IEnumerable<string> NumberSearch(string word) =>
        Dataset.Key is [var key] && Dataset[key].Type is FieldType.Integer && Grant.Readable.Has(key) && long.TryParse(word, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? [$"{Own(key).Sql} = {sql.Number(number)}"]
            : [];

    private static Leaf LeafOf(Field field, string alias, bool nullable) =>
        new($"{alias}.{SqlIdentifier.Quote(field.Column)}", field, nullable);
}
