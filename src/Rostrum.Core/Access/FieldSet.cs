using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Access;

/// <summary>All of a dataset's fields, or only some.</summary>
public abstract record FieldSet
{
    private FieldSet() { }

    /// <summary>Every field, those added later too.</summary>
    public sealed record All : FieldSet;

    /// <summary>These and no other.</summary>
    public sealed record Only(ImmutableHashSet<FieldName> Fields) : FieldSet;

    /// <summary>Every field but these, those added later among them.</summary>
    public sealed record But(ImmutableHashSet<FieldName> Fields) : FieldSet;

    /// <summary>No field.</summary>
    public static FieldSet None { get; } = new Only([]);

    /// <summary>Whether both have the same fields for certain.</summary>
    public bool IsSameAs(FieldSet other) =>
        (this, other) switch
        {
            (All, All) => true,
            (Only one, Only two) => one.Fields.SetEquals(two.Fields),
            (But one, But two) => one.Fields.SetEquals(two.Fields),
            _ => false,
        };

    /// <summary>Whether a field is among them.</summary>
    public bool Has(FieldName field) =>
        this switch
        {
            Only only => only.Fields.Contains(field),
            But but => !but.Fields.Contains(field),
            _ => true,
        };

    /// <summary>The fields that both have.</summary>
    public FieldSet And(FieldSet other) =>
        (this, other) switch
        {
            (All, _) => other,
            (_, All) => this,
            (But one, But two) => new But(one.Fields.Union(two.Fields)),
            (Only one, _) => new Only([.. one.Fields.Where(other.Has)]),
            (_, Only two) => new Only([.. two.Fields.Where(Has)]),
            _ => throw new InvalidOperationException("unknown field set"),
        };

    /// <summary>The fields that one of the two has.</summary>
    public FieldSet Or(FieldSet other) =>
        (this, other) switch
        {
            (All, _) or (_, All) => new All(),
            (Only one, Only two) => new Only(one.Fields.Union(two.Fields)),
            (But one, _) => new But([.. one.Fields.Where(field => !other.Has(field))]),
            (_, But two) => new But([.. two.Fields.Where(field => !Has(field))]),
            _ => throw new InvalidOperationException("unknown field set"),
        };
}

/// <summary>Fields that apply to the records of a condition.</summary>
/// <param name="Condition">The records.</param>
/// <param name="Fields">The fields.</param>
public sealed record FieldsWhere(Filter Condition, FieldSet Fields);

/// <summary>
/// What several policies say of fields that is not the same for all records: a field applies to a record where one of those policies has
/// both.
/// </summary>
/// <param name="Parts">What each policy says.</param>
public sealed record FieldsByRecord(ImmutableArray<FieldsWhere> Parts)
{
    /// <summary>The records to which a field applies that applies to some of them; null where it applies to all.</summary>
    public Filter? For(FieldName field)
    {
        Filter[] conditions = [.. Parts.Where(part => part.Fields.Has(field)).Select(part => part.Condition).Distinct()];
        return conditions.Length == Parts.Select(part => part.Condition).Distinct().Count()
            || conditions.Any(condition => condition is Filter.Everything)
                ? null
            : conditions is [var only] ? only
            : new Filter.Or([.. conditions]);
    }

    /// <summary>The fields that apply to a record; where no condition holds for it, those that apply whichever does.</summary>
    /// <param name="holds">Says whether a condition holds for it.</param>
    public FieldSet Of(Func<Filter, bool> holds)
    {
        FieldSet[] holding = [.. Parts.Where(part => holds(part.Condition)).Select(part => part.Fields)];
        return holding.Length > 0
            ? holding.Aggregate((one, other) => one.Or(other))
            : Parts.Select(part => part.Fields).Aggregate((one, other) => one.And(other));
    }

    internal static FieldsByRecord? And(FieldsByRecord? one, FieldSet ofOne, FieldsByRecord? other, FieldSet ofOther) =>
        one is null && other is null
            ? null
            : new FieldsByRecord([
                .. from mine in Or(one, ofOne)
                from theirs in Or(other, ofOther)
                select new FieldsWhere(Filter.Both(mine.Condition, theirs.Condition), mine.Fields.And(theirs.Fields)),
            ]);

    private static ImmutableArray<FieldsWhere> Or(FieldsByRecord? known, FieldSet everywhere) =>
        known?.Parts ?? [new FieldsWhere(new Filter.Everything(), everywhere)];
}
