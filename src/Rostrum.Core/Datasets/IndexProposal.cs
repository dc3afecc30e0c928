using System.Collections.Immutable;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Datasets;

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
    public static ImmutableArray<string> Columns(Dataset dataset, ReadRequest request, Filter seen)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(request);
        var asked = Asked(request.Filter).Concat(Asked(seen)).ToArray();
        var same = asked.Where(part => part.IsSame).Select(part => Column(part.Field));
        var between = asked.Where(part => !part.IsSame).Select(part => Column(part.Field)).OfType<string>().Take(1).ToArray();
        var sorted = request.Sort.Select(sort => Column(sort.Field.Value)).TakeWhile(column => column is not null);
        return
        [
            .. same.OfType<string>()
                .Order(StringComparer.Ordinal)
                .Concat(between.Length > 0 ? between : sorted.OfType<string>())
                .Distinct(StringComparer.Ordinal)
                .Take(MostColumns),
        ];

        string? Column(string field) =>
            dataset.Find(new FieldName(field))
                is { Column.Length: > 0, Type: not (FieldType.Text { Long: true } or FieldType.Native) } known
                ? known.Column
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
