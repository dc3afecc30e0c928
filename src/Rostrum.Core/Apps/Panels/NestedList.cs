using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Panels;

/// <summary>The records that belong to each record of a list, and to those again others.</summary>
/// <param name="Relation">The name that the record has for them: <c>defects</c>.</param>
/// <param name="Dataset">The dataset of which they are.</param>
/// <param name="Fields">What is shown of each beside its title.</param>
/// <param name="Filter">Which of them: a condition over each; all where null.</param>
/// <param name="Most">No more than so many of each record are shown; how many there are is said.</param>
/// <param name="Nested">What belongs to each of these.</param>
public sealed record NestedList(
    string Relation,
    DatasetId Dataset,
    ImmutableArray<FieldName> Fields,
    string? Filter,
    int Most,
    ImmutableArray<NestedList> Nested
)
{
    /// <summary>Lists within lists beyond this are not read.</summary>
    public const int Deepest = 6;

    /// <summary>It and all within it.</summary>
    public IEnumerable<NestedList> All => Nested.SelectMany(list => list.All).Prepend(this);
}

/// <summary>What belongs to the records of a dataset.</summary>
public static class NestedLists
{
    /// <summary>The relations by which others belong to a dataset's records, each with the dataset from which it leads.</summary>
    public static IEnumerable<(Relation Relation, Dataset From)> Offered(DatasetCatalogue catalogue, Dataset dataset)
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(dataset);
        return from other in catalogue.All
            where other.GoneBecause is null
            from relation in other.Relations
            where relation.Target == dataset.Id && !relation.OneToOne
            select (relation, other);
    }

    /// <summary>The relation of a list, and the dataset from which it leads; null where it is no longer there.</summary>
    public static (Relation Relation, Dataset From)? RelationOf(DatasetCatalogue catalogue, Dataset dataset, NestedList list)
    {
        ArgumentNullException.ThrowIfNull(list);
        return Offered(catalogue, dataset)
            .Where(known => known.From.Id == list.Dataset && known.Relation.InverseName.Value == list.Relation)
            .Select(known => ((Relation, Dataset)?)known)
            .FirstOrDefault();
    }

    /// <summary>The names of lists whose relation is no longer there.</summary>
    public static IEnumerable<string> Unrelated(ImmutableArray<NestedList> lists, Dataset dataset, DatasetCatalogue catalogue) =>
        lists.SelectMany(list =>
            RelationOf(catalogue, dataset, list) is { } known ? Unrelated(list.Nested, known.From, catalogue) : [list.Relation]
        );
}
