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
            Filter = dataset.Key is [var name] ? new Filter.OneOf(name, [.. keys.Select(key => key.Values[0])]) : new Filter.Or([.. keys.Select(key => Of(dataset, key).Filter)]),
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

/// <summary>A limit for each value of a field.</summary>
/// <param name="Field">A field that the dataset keeps.</param>
/// <param name="Most">The limit.</param>
public sealed record EachOf(FieldName Field, int Most);

/// <summary>Names for the formulas of a request, and what they stand for.</summary>
/// <param name="Shapes">The shapes with which they were made: within the rights of whoever makes the request.</param>
/// <param name="Names">The names.</param>
/// <param name="Given">What they stand for.</param>
public sealed record RequestNames(DatasetShapes Shapes, Formulas.FormulaNames Names, IReadOnlyDictionary<string, object?> Given);

/// <summary>A value that a formula gives for each record.</summary>
/// <param name="Name">Its name in the answer; no field of the dataset has it.</param>
/// <param name="Formula">A formula over the dataset's records, as text.</param>
public sealed record ComputedColumn(FieldName Name, string Formula);

/// <summary>A field or a computed column to sort by, or, where the field carries a relation, the title of the related record. Blanks come last in both directions.</summary>
public sealed record SortBy(FieldName Field, bool Descending = false);

/// <summary>A stretch of an ordered list of records.</summary>
public abstract record PageWindow(int Limit)
{
    /// <summary>From a record's number in the order, counted from nought. With a limit of nought it asks for no record, but for how many there are where they are counted.</summary>
    public sealed record FromStart(long Offset, int Limit) : PageWindow(Limit);

    /// <summary>The records that follow a place.</summary>
    public sealed record After(PageCursor Place, int Limit) : PageWindow(Limit);

    /// <summary>The records just before a place, in the list's order.</summary>
    public sealed record Before(PageCursor Place, int Limit) : PageWindow(Limit);
}

/// <summary>A condition on a dataset's records. Blank is a value for <c>Is</c>; an order comparison with a blank is false.</summary>
public abstract record Filter
{
    private Filter() { }

    /// <summary>Every record.</summary>
    public sealed record Everything : Filter;

    /// <summary>No record.</summary>
    public sealed record Nothing : Filter;

    /// <summary>All of these hold.</summary>
    public sealed record And(ImmutableArray<Filter> Parts) : Filter;

    /// <summary>One of these holds.</summary>
    public sealed record Or(ImmutableArray<Filter> Parts) : Filter;

    /// <summary>This does not hold.</summary>
    public sealed record Not(Filter Part) : Filter;

    /// <summary>The field's value is one of these, blank among them where it is listed.</summary>
    public sealed record OneOf(FieldName Field, ImmutableArray<object?> Values) : Filter;

    /// <summary>The field's value stands in this order to another.</summary>
    public sealed record Compare(FieldName Field, Comparison Comparison, object Value) : Filter;

    /// <summary>The field's text has this in it, in capitals or small letters.</summary>
    public sealed record Contains(FieldName Field, string Text) : Filter;

    /// <summary>Another record has the same values in all of these fields, which the dataset keeps; a blank is the same as nothing.</summary>
    /// <remarks>It speaks of records beside the one in question: the gate answers it only to whoever sees them all.</remarks>
    public sealed record Alike(ImmutableArray<FieldName> Among) : Filter;

    /// <summary>A formula over the record holds; blank is not true.</summary>
    public sealed record Holds(string Formula) : Filter;

    /// <summary>Both hold; nothing is added where one is everything.</summary>
    public static Filter Both(Filter one, Filter other) => (one, other) switch
    {
        (Everything, _) => other,
        (_, Everything) => one,
        _ => new And([one, other]),
    };

    /// <summary>The formulas in the condition.</summary>
    public IEnumerable<string> Formulas => this switch
    {
        And and => and.Parts.SelectMany(part => part.Formulas),
        Or or => or.Parts.SelectMany(part => part.Formulas),
        Not not => not.Part.Formulas,
        Holds holds => [holds.Formula],
        _ => [],
    };

    /// <summary>The fields that the condition names outside formulas.</summary>
    public IEnumerable<FieldName> Fields => this switch
    {
        And and => and.Parts.SelectMany(part => part.Fields),
        Or or => or.Parts.SelectMany(part => part.Fields),
        Not not => not.Part.Fields,
        OneOf oneOf => [oneOf.Field],
        Compare compare => [compare.Field],
        Contains contains => [contains.Field],
        Alike alike => alike.Among,
        _ => [],
    };

    /// <summary>The parts that look at records beside the one in question.</summary>
    public IEnumerable<Alike> LooksAtOthers => this switch
    {
        And and => and.Parts.SelectMany(part => part.LooksAtOthers),
        Or or => or.Parts.SelectMany(part => part.LooksAtOthers),
        Not not => not.Part.LooksAtOthers,
        Alike alike => [alike],
        _ => [],
    };
}

/// <summary>An order between two values.</summary>
public enum Comparison
{
    /// <summary>&lt;</summary>
    Less,

    /// <summary>&lt;=</summary>
    AtMost,

    /// <summary>&gt;</summary>
    More,

    /// <summary>&gt;=</summary>
    AtLeast,
}
