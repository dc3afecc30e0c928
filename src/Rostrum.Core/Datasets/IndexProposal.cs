using System.Collections.Immutable;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Datasets;

/// <summary>A column of an index.</summary>
/// <param name="Field">The field that the column holds.</param>
/// <param name="Order">The order in which the records are wanted; null where only values are looked up.</param>
public sealed record IndexColumn(Field Field, SortBy? Order);

/// <summary>Which index would let a database find a request's records without reading the whole table.</summary>
public static class IndexProposal
{
    private const int MostColumns = 3;

    /// <summary>
    /// The index's columns, in their order: those that are to be this or that, then one that lies between two values, or else those by
    /// which the records are ordered. None where nothing that the table keeps narrows or orders them.
    /// </summary>
    /// <param name="dataset">The dataset, over a table.</param>
    /// <param name="request">What is asked of it.</param>
    /// <param name="seen">Which records whoever asks may see.</param>
    public static ImmutableArray<IndexColumn> Columns(Dataset dataset, ReadRequest request, Filter seen)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(request);
        var asked = Asked(request.Filter).Concat(Asked(seen)).ToArray();
        var same = asked.Where(part => part.IsSame).Select(part => Kept(part.Field)).OfType<Field>();
        var between = asked.Where(part => !part.IsSame).Select(part => Kept(part.Field)).OfType<Field>().Take(1).ToArray();
        var sorted = request
            .Sort.Select(sort => (Sort: sort, Field: Kept(sort.Field.Value)))
            .TakeWhile(part => part.Field is not null && dataset.IsOrderedByColumn(part.Sort.Field));
        return
        [
            .. same.OrderBy(field => field.Column, StringComparer.Ordinal)
                .Concat(between)
                .Select(field => new IndexColumn(field, null))
                .Concat(between.Length > 0 ? [] : sorted.Select(part => new IndexColumn(part.Field!, part.Sort)))
                .DistinctBy(column => column.Field.Column)
                .Take(MostColumns),
        ];

        Field? Kept(string field) =>
            dataset.Find(new FieldName(field))
                is { Column.Length: > 0, Type: not (FieldType.Text { Long: true } or FieldType.Native) } known
                ? known
                : null;
    }

    private static IEnumerable<(string Field, bool IsSame)> Asked(Filter filter) =>
        filter switch
        {
            Filter.And and => and.Parts.SelectMany(Asked),
            Filter.OneOf one => [(one.Field.Value, true)],
            Filter.Compare compare => [(compare.Field.Value, false)],
            Filter.Holds holds when ConditionFormula.Read(holds.Formula) is { } condition => Asked(condition),
            _ => [],
        };

    private static IEnumerable<(string Field, bool IsSame)> Asked(Condition condition) =>
        condition switch
        {
            Condition.All all => all.Parts.SelectMany(Asked),
            Condition.Test { Name: [var field], Question: Question.Is or Question.IsOneOf } => [(field, true)],
            Condition.Test { Name: [var field], Question: Question.Less or Question.AtMost or Question.More or Question.AtLeast } =>
            [
                (field, false),
            ],
            _ => [],
        };
}
