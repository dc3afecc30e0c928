using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>
/// A total order of a dataset's rows: what people chose, then the key. Blanks come last, and first when it is turned round.
/// </summary>
internal sealed class RowOrder
{
    private readonly ImmutableArray<(Leaf Leaf, bool Descending)> _terms;

    private readonly SqlEngine _engine;

    private RowOrder(SqlEngine engine, ImmutableArray<(Leaf Leaf, bool Descending)> terms) => (_engine, _terms) = (engine, terms);

    /// <summary>The values that a row's place in the order depends on.</summary>
    public IEnumerable<Leaf> Leaves => _terms.Select(term => term.Leaf);

    public static RowOrder Of(SelectPlan plan, ImmutableArray<SortBy> sort)
    {
        var terms = sort.SelectMany(by => plan.SortLeaves(by).Select(leaf => (Leaf: leaf, by.Descending)))
            .Where(term => term.Leaf.Field.Type.IsSortable)
            .Concat(plan.Dataset.Key.Select(key => (Leaf: plan.Stored(key) with { Nullable = false }, sort is [.., { Descending: true }])))
            .DistinctBy(term => term.Leaf.Sql);
        return new RowOrder(plan.Engine, [.. terms]);
    }

    public string OrderBy(bool turned) =>
        _terms.IsEmpty
            ? ""
            : " ORDER BY "
                + string.Join(
                    ", ",
                    _terms.Select(term => _engine.Ordered(term.Leaf.Sql, term.Descending != turned, term.Leaf.Nullable, turned))
                );

    /// <summary>
    /// The condition on rows beyond a place, in the order or (turned) against it; null where the place does not fit the order.
    /// </summary>
    public string? Beyond(PageCursor place, bool turned, SqlText sql)
    {
        if (place.Values.Length != _terms.Length || Values(place) is not { } values)
        {
            return null;
        }

        var descending = _terms[0].Descending;
        if (_terms.All(term => !term.Leaf.Nullable && term.Descending == descending))
        {
            var columns = string.Join(", ", _terms.Select(term => term.Leaf.Sql));
            var placeholders = string.Join(", ", _terms.Zip(values, (term, value) => sql.Value(term.Leaf.Field, value)));
            return $"({columns}) {(descending != turned ? "<" : ">")} ({placeholders})";
        }

        var cases = new List<string>();
        var ties = "";
        foreach (var (term, value) in _terms.Zip(values))
        {
            if (After(term, value, turned, sql) is { } after)
            {
                cases.Add($"({ties}{after})");
            }

            ties += (value is null ? $"{term.Leaf.Sql} IS NULL" : $"{term.Leaf.Sql} = {sql.Value(term.Leaf.Field, value)}") + " AND ";
        }

        return cases.Count > 0 ? $"({string.Join(" OR ", cases)})" : "FALSE";
    }

    /// <summary>Where a row stands; null where one of its values cannot be read.</summary>
    public static PageCursor? Place(IEnumerable<(Leaf Leaf, object? Value)> row)
    {
        var values = row.ToArray();
        return values.Any(value => value.Value is Unreadable)
            ? null
            : new PageCursor([
                .. values.Select(value => value.Value is null ? null : FieldText.ToCanonical(value.Leaf.Field.Type, value.Value)),
            ]);
    }

    private static string? After((Leaf Leaf, bool Descending) term, object? value, bool turned, SqlText sql)
    {
        if (value is null)
        {
            return turned ? $"{term.Leaf.Sql} IS NOT NULL" : null;
        }

        var beyond = $"{term.Leaf.Sql} {(term.Descending != turned ? "<" : ">")} {sql.Value(term.Leaf.Field, value)}";
        return term.Leaf.Nullable && !turned ? $"({beyond} OR {term.Leaf.Sql} IS NULL)" : beyond;
    }

    private List<object?>? Values(PageCursor place)
    {
        var values = new List<object?>();
        foreach (var (text, term) in place.Values.Zip(_terms))
        {
            if (text is null)
            {
                values.Add(null);
            }
            else if (FieldText.FromCanonical(term.Leaf.Field.Type, text) is Parsed.Value value)
            {
                values.Add(value.Is);
            }
            else
            {
                return null;
            }
        }

        return values;
    }
}
