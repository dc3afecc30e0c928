using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Access;

/// <summary>What can be done with records.</summary>
[Flags]
public enum Verbs
{
    /// <summary>Nothing.</summary>
    None = 0,

    /// <summary>Read them.</summary>
    View = 1,

    /// <summary>Add one.</summary>
    Create = 2,

    /// <summary>Change one.</summary>
    Update = 4,

    /// <summary>Remove one.</summary>
    Delete = 8,

    /// <summary>All of these.</summary>
    All = View | Create | Update | Delete,
}

/// <summary>All of a dataset's fields, or only some.</summary>
public abstract record FieldSet
{
    private FieldSet() { }

    /// <summary>Every field, those added later too.</summary>
    public sealed record All : FieldSet;

    /// <summary>These and no other.</summary>
    public sealed record Only(ImmutableHashSet<FieldName> Fields) : FieldSet;

    /// <summary>Whether a field is among them.</summary>
    public bool Has(FieldName field) => this is not Only only || only.Fields.Contains(field);

    /// <summary>The fields that both have.</summary>
    public FieldSet And(FieldSet other) => (this, other) switch
    {
        (All, _) => other,
        (_, All) => this,
        (Only one, Only two) => new Only(one.Fields.Intersect(two.Fields)),
        _ => throw new InvalidOperationException("unknown field set"),
    };
}

/// <summary>What a role may do with a dataset's records.</summary>
/// <param name="Role">The role's name.</param>
/// <param name="Dataset">The dataset.</param>
/// <param name="Verbs">The verbs.</param>
/// <param name="Condition">The records to which they apply.</param>
/// <param name="Readable">The fields that may be read.</param>
/// <param name="Writable">The fields that may be written.</param>
public sealed record Policy(string Role, DatasetId Dataset, Verbs Verbs, Filter Condition, FieldSet Readable, FieldSet Writable)
{
    /// <summary>These verbs on all records and all fields.</summary>
    public static Policy On(string role, DatasetId dataset, Verbs verbs) =>
        new(role, dataset, verbs, new Filter.Everything(), new FieldSet.All(), new FieldSet.All());
}

/// <summary>What one person may do with one dataset's records.</summary>
public sealed record Grant(Verbs Verbs, Filter Condition, FieldSet Readable, FieldSet Writable)
{
    /// <summary>Nothing: what holds where no policy says otherwise.</summary>
    public static Grant Nothing { get; } = new(Verbs.None, new Filter.Nothing(), new FieldSet.Only([]), new FieldSet.Only([]));

    /// <summary>Everything on every record.</summary>
    public static Grant Everything { get; } = new(Verbs.All, new Filter.Everything(), new FieldSet.All(), new FieldSet.All());

    /// <summary>Everything that leaves the records as they are: what a builder may, who looks at a source.</summary>
    public static Grant ViewOnly { get; } = Everything with { Verbs = Verbs.View };

    /// <summary>Whether the verb is allowed on some records at least.</summary>
    public bool Allows(Verbs verb) => Verbs.HasFlag(verb);
}

/// <summary>One person's grants, for every dataset that there is.</summary>
public sealed class Grants
{
    private readonly FrozenDictionary<DatasetId, Grant>? _byDataset;
    private readonly Grant _otherwise;

    private Grants(FrozenDictionary<DatasetId, Grant>? byDataset, Grant otherwise) => (_byDataset, _otherwise) = (byDataset, otherwise);

    /// <summary>The same grant everywhere: for a builder, who looks at a source.</summary>
    public static Grants Everywhere(Grant grant) => new(null, grant);

    /// <summary>What a person with these roles may do: what no policy allows is denied.</summary>
    /// <remarks>
    /// Roles add up. Where two policies differ both in their condition and in their fields, records of either condition
    /// are allowed and only the fields that both name: never more than one of them alone would show of a record.
    /// </remarks>
    public static Grants Of(IReadOnlySet<string> roles, IEnumerable<Policy> policies)
    {
        ArgumentNullException.ThrowIfNull(roles);
        return new Grants(
            policies.Where(policy => roles.Contains(policy.Role)).GroupBy(policy => policy.Dataset).ToFrozenDictionary(
                group => group.Key,
                group => group.Skip(1).Aggregate(AsGrant(group.First()), Add)),
            Grant.Nothing);
    }

    /// <summary>The grant for a dataset.</summary>
    public Grant For(DatasetId dataset) => _byDataset?.GetValueOrDefault(dataset) ?? _otherwise;

    private static Grant AsGrant(Policy policy) => new(policy.Verbs, policy.Condition, policy.Readable, policy.Writable);

    private static Grant Add(Grant grant, Policy policy)
    {
        var everyRecord = grant.Condition is Filter.Everything && policy.Condition is Filter.Everything;
        return everyRecord
            ? new Grant(grant.Verbs | policy.Verbs, grant.Condition, Union(grant.Readable, policy.Readable), Union(grant.Writable, policy.Writable))
            : new Grant(grant.Verbs & policy.Verbs, new Filter.Or([grant.Condition, policy.Condition]), grant.Readable.And(policy.Readable), grant.Writable.And(policy.Writable));
    }

    private static FieldSet Union(FieldSet one, FieldSet other) => (one, other) switch
    {
        (FieldSet.Only first, FieldSet.Only second) => new FieldSet.Only(first.Fields.Union(second.Fields)),
        _ => new FieldSet.All(),
    };
}
