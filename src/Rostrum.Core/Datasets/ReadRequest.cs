using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>What a panel wants to know of a dataset's records.</summary>
public sealed record ReadRequest(DatasetId Dataset)
{
    /// <summary>One record by its key.</summary>
    public static ReadRequest Of(Dataset dataset, RecordKey key)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(key);
        return new ReadRequest(dataset.Id)
        {
            Filter = new Filter.And([.. dataset.Key.Zip(key.Values, (name, value) => new Filter.OneOf(name, [value]))]),
            Window = new PageWindow.FromStart(0, 1),
        };
    }

    /// <summary>Several records by their keys.</summary>
    public static ReadRequest Of(Dataset dataset, IReadOnlyCollection<RecordKey> keys)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(keys);
        return new ReadRequest(dataset.Id)
        {
            Filter = dataset.Key is [var name]
                ? new Filter.OneOf(name, [.. keys.Select(key => key.Values[0])])
                : new Filter.Or([.. keys.Select(key => Of(dataset, key).Filter)]),
            Window = new PageWindow.FromStart(0, Math.Max(1, keys.Count)),
        };
    }

    /// <summary>The fields whose values are wanted.</summary>
    public ImmutableArray<FieldName> Fields { get; init; } = [];

    /// <summary>Values that formulas give, each under a name that sorting and searching know as well.</summary>
    public ImmutableArray<ComputedColumn> Computed { get; init; } = [];

    /// <summary>The names that its formulas have beside their record's, where the page gives more than who is signed in.</summary>
    public RequestNames? Names { get; init; }

    /// <summary>The moment that formulas take for now; the gate's own where null. Requests that are shown together share one.</summary>
    public DateTimeOffset? Now { get; init; }

    /// <summary>The to-one relations whose titles are wanted.</summary>
    public ImmutableArray<FieldName> Titles { get; init; } = [];

    /// <summary>Which records.</summary>
    public Filter Filter { get; init; } = new Filter.Everything();

    /// <summary>Words that must each stand somewhere in the record's texts, or in the titles of the records it refers to.</summary>
    public string Search { get; init; } = "";

    /// <summary>The order. The key follows as the last, so that no two records tie.</summary>
    public ImmutableArray<SortBy> Sort { get; init; } = [];

    /// <summary>Which stretch of that order.</summary>
    public PageWindow Window { get; init; } = new PageWindow.FromStart(0, 50);

    /// <summary>No more than so many for each value of a field, the first of each in the order; all where null.</summary>
    public EachOf? Each { get; init; }

    /// <summary>Whether to count the records as well.</summary>
    public bool Counted { get; init; }
}
