using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Memory;

/// <summary>
/// The order of rows of which the server cannot compute all that they are sorted by: what people chose, then the key. Blanks come last.
/// </summary>
internal sealed class MemoryOrder : IComparer<object?[]>
{
    private readonly List<(FieldType Type, int Column, int Computed, bool Descending)> _terms = [];

    public MemoryOrder(SelectPlan plan, SelectedColumns columns, MemoryPart memory, RequestFormulas formulas, ImmutableArray<SortBy> sort)
    {
        foreach (var by in sort)
        {
            if (formulas.Columns.TryGetValue(by.Field, out var formula) && plan.Computed(by.Field).Leaf is null)
            {
                _terms.Add((ComputedLeaf.FieldOf(by.Field, formula.Type).Type, -1, memory.Add(formula), by.Descending));
            }
            else
            {
                _terms.AddRange(
                    plan.SortLeaves(by)
                        .Where(leaf => leaf.Field.Type.IsSortable)
                        .Select(leaf => (leaf.Field.Type, columns.Add(leaf), -1, by.Descending))
                );
            }
        }

        _terms.AddRange(
            plan.Dataset.Key.Select(key => (plan.Dataset[key].Type, columns.Add(plan.Stored(key)), -1, sort is [.., { Descending: true }]))
        );
    }

    /// <summary>The order of values of one type; blanks last.</summary>
    public static IComparer<object?> Values { get; } =
        Comparer<object?>.Create(
            (one, other) =>
                (one, other) switch
                {
                    (null, null) => 0,
                    (null or Unreadable, _) => 1,
                    (_, null or Unreadable) => -1,
                    (string left, string right) => Texts.Compare(left, right),
                    _ => Comparer<object?>.Default.Compare(one, other),
                }
        );

    /// <summary>What a row is ordered by.</summary>
    public object?[] KeyOf(object?[] columns, object?[] computed) =>
        [.. _terms.Select(term => term.Column >= 0 ? columns[term.Column] : computed[term.Computed])];

    public int Compare(object?[]? x, object?[]? y)
    {
        for (var i = 0; i < _terms.Count; i++)
        {
            var (one, other) = (x![i], y![i]);
            var order = Values.Compare(one, other);
            if (order != 0)
            {
                return _terms[i].Descending && one is not (null or Unreadable) && other is not (null or Unreadable) ? -order : order;
            }
        }

        return 0;
    }

    /// <summary>Where a row stands.</summary>
    public PageCursor? PlaceOf(object?[] key) =>
        key.Any(value => value is Unreadable)
            ? null
            : new PageCursor([.. key.Zip(_terms, (value, term) => value is null ? null : FieldText.ToCanonical(term.Type, value))]);

    /// <summary>Reads what <see cref="PlaceOf"/> wrote; null for anything else.</summary>
    public object?[]? Parse(PageCursor place)
    {
        if (place.Values.Length != _terms.Count)
        {
            return null;
        }

        var key = new object?[_terms.Count];
        for (var i = 0; i < key.Length; i++)
        {
            if (place.Values[i] is { } text)
            {
                if (FieldText.FromCanonical(_terms[i].Type, text) is not Parsed.Value { Is: var value })
                {
                    return null;
                }

                key[i] = value;
            }
        }

        return key;
    }
}
