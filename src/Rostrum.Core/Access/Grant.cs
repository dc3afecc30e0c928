using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

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

    /// <summary>Take them away in a file.</summary>
    Download = 16,

    /// <summary>Read what colleagues note about them.</summary>
    ReadNotes = 32,

    /// <summary>Note something about them.</summary>
    WriteNotes = 64,

    /// <summary>All of these.</summary>
    All = View | Create | Update | Delete | Download | ReadNotes | WriteNotes,
}

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

/// <summary>What a role may do with a dataset's records.</summary>
/// <param name="Role">The role's name.</param>
/// <param name="Dataset">The dataset.</param>
/// <param name="Verbs">The verbs.</param>
/// <param name="Condition">The records to which they apply.</param>
/// <param name="Readable">The fields that may be read.</param>
/// <param name="Writable">The fields that may be written.</param>
public sealed record Policy(string Role, DatasetId Dataset, Verbs Verbs, Filter Condition, FieldSet Readable, FieldSet Writable)
{
    /// <summary>The records to which a verb applies, among those of <see cref="Condition"/>; all of these where it names none.</summary>
    public ImmutableDictionary<Verbs, Filter> Narrower { get; init; } = ImmutableDictionary<Verbs, Filter>.Empty;

    /// <summary>The fields that may be written in a new record.</summary>
    public FieldSet WritableInNew
    {
        get => field ?? Writable;
        init;
    }

    /// <summary>The records to which one verb applies.</summary>
    public Filter For(Verbs verb) => Narrower.TryGetValue(verb, out var narrower) ? Filter.Both(Condition, narrower) : Condition;

    /// <summary>The same, with one condition for adding, changing and deleting.</summary>
    public Policy WritingWhere(Filter condition) =>
        this with
        {
            Narrower = new[] { Verbs.Create, Verbs.Update, Verbs.Delete }.ToImmutableDictionary(verb => verb, _ => condition),
        };

    /// <summary>These verbs on all records and all fields.</summary>
    public static Policy On(string role, DatasetId dataset, Verbs verbs) =>
        new(role, dataset, verbs, new Filter.Everything(), new FieldSet.All(), new FieldSet.All());
}

/// <summary>What one person may do with one dataset's records.</summary>
/// <param name="Verbs">The verbs.</param>
/// <param name="Condition">The records that may be seen, and to which every other verb applies that has no condition of its own.</param>
/// <param name="Readable">The fields that may be read.</param>
/// <param name="Writable">The fields that may be written.</param>
public sealed record Grant(Verbs Verbs, Filter Condition, FieldSet Readable, FieldSet Writable)
{
    /// <summary>The records to which a verb applies, where they are not those that may be seen.</summary>
    public ImmutableDictionary<Verbs, Filter> Conditions { get; init; } = ImmutableDictionary<Verbs, Filter>.Empty;

    /// <summary>The fields that may be written in a new record.</summary>
    public FieldSet WritableInNew
    {
        get => field ?? Writable;
        init;
    }

    /// <summary>The records to which one verb applies.</summary>
    public Filter For(Verbs verb) => Conditions.GetValueOrDefault(verb, Condition);

    /// <summary>Nothing: what holds where no policy says otherwise.</summary>
    public static Grant Nothing { get; } = new(Verbs.None, new Filter.Nothing(), new FieldSet.Only([]), new FieldSet.Only([]));

    /// <summary>Everything on every record.</summary>
    public static Grant Everything { get; } = new(Verbs.All, new Filter.Everything(), new FieldSet.All(), new FieldSet.All());

    /// <summary>Everything that leaves the records as they are: what a builder may, who looks at a source.</summary>
    public static Grant ViewOnly { get; } = Everything with { Verbs = Verbs.View };

    /// <summary>What both allow.</summary>
    public Grant And(Grant other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return new Grant(
            Verbs & other.Verbs,
            Filter.Both(Condition, other.Condition),
            Readable.And(other.Readable),
            Writable.And(other.Writable)
        )
        {
            WritableInNew = WritableInNew.And(other.WritableInNew),
            Conditions = Rights.EachVerb.Skip(1).ToImmutableDictionary(verb => verb, verb => Filter.Both(For(verb), other.For(verb))),
        };
    }

    /// <summary>Whether the verb is allowed on some records at least.</summary>
    public bool Allows(Verbs verb) => Verbs.HasFlag(verb);

    /// <summary>
    /// Whether it allows for certain whatever another allows: all of the records wherever that one allows some, and all fields.
    /// </summary>
    public bool Covers(Grant other)
    {
        ArgumentNullException.ThrowIfNull(other);
        return other.Verbs is Verbs.None
            || (
                Rights.EachVerb.Where(verb => other.Allows(verb)).All(verb => Allows(verb) && For(verb) is Filter.Everything)
                && Readable is FieldSet.All
                && (Writable is FieldSet.All || (other.Verbs & (Verbs.Create | Verbs.Update)) is Verbs.None)
            );
    }
}

/// <summary>What whoever has certain roles may do with each dataset's records.</summary>
public sealed class Rights
{
    /// <summary>The verbs one by one, in the order in which they are always named: seeing first.</summary>
    public static ImmutableArray<Verbs> EachVerb { get; } =
    [Verbs.View, Verbs.Create, Verbs.Update, Verbs.Delete, Verbs.Download, Verbs.ReadNotes, Verbs.WriteNotes];

    private readonly FrozenDictionary<DatasetId, Grant>? _byDataset;
    private readonly Grant _otherwise;
    private Rights? _and;
    private Func<DatasetId, Filter, Filter>? _conditions;

    private Rights(FrozenDictionary<DatasetId, Grant>? byDataset, Grant otherwise) => (_byDataset, _otherwise) = (byDataset, otherwise);

    /// <summary>The same grant everywhere.</summary>
    public static Rights Everywhere(Grant grant) => new(null, grant);

    /// <summary>What these roles may do: what no policy allows is denied.</summary>
    /// <remarks>
    /// Roles add up: a verb applies to the records of each policy that has it. Where policies name different fields for
    /// different records, only the fields that all of them name count: never more than one of them alone would show of a record.
    /// </remarks>
    public static Rights Of(IReadOnlySet<string> roles, IEnumerable<Policy> policies)
    {
        ArgumentNullException.ThrowIfNull(roles);
        return new Rights(
            policies
                .Where(policy => roles.Contains(policy.Role))
                .GroupBy(policy => policy.Dataset)
                .ToFrozenDictionary(group => group.Key, group => Together([.. group])),
            Grant.Nothing
        );
    }

    /// <summary>The grant for a dataset.</summary>
    public Grant For(DatasetId dataset)
    {
        var grant = _byDataset?.GetValueOrDefault(dataset) ?? _otherwise;
        grant = _and is null ? grant : grant.And(_and.For(dataset));
        return _conditions is null
            ? grant
            : grant with
            {
                Condition = _conditions(dataset, grant.Condition),
                Conditions = grant.Conditions.ToImmutableDictionary(pair => pair.Key, pair => _conditions(dataset, pair.Value)),
            };
    }

    /// <summary>The same with each dataset's conditions in another form that means the same.</summary>
    public Rights WithConditions(Func<DatasetId, Filter, Filter> conditions) =>
        new(_byDataset, _otherwise) { _and = _and, _conditions = conditions };

    /// <summary>What both allow.</summary>
    public Rights And(Rights other) => new(_byDataset, _otherwise) { _and = _and is null ? other : _and.And(other) };

    /// <summary>The same, with fewer of one dataset's records.</summary>
    public Rights Where(DatasetId dataset, Filter condition) =>
        And(
            new Rights(
                new Dictionary<DatasetId, Grant> { [dataset] = Grant.Everything with { Condition = condition } }.ToFrozenDictionary(),
                Grant.Everything
            )
        );

    private static Grant Together(Policy[] policies) =>
        new(
            policies.Aggregate(Verbs.None, (verbs, policy) => verbs | policy.Verbs),
            Where(policies, Verbs.View),
            Fields([.. policies.Where(policy => policy.Verbs.HasFlag(Verbs.View))], Verbs.View, policy => policy.Readable),
            Fields([.. policies.Where(policy => policy.Verbs.HasFlag(Verbs.Update))], Verbs.Update, policy => policy.Writable)
        )
        {
            WritableInNew = Fields([.. policies.Where(policy => policy.Verbs.HasFlag(Verbs.Create))], Verbs.Create, policy =>
                policy.WritableInNew
            ),
            Conditions = EachVerb.Skip(1).ToImmutableDictionary(verb => verb, verb => Where(policies, verb)),
        };

    private static Filter Where(Policy[] policies, Verbs verb)
    {
        var conditions = policies.Where(policy => policy.Verbs.HasFlag(verb)).Select(policy => policy.For(verb)).Distinct().ToArray();
        return conditions.Length == 0 ? new Filter.Nothing()
            : conditions.Any(condition => condition is Filter.Everything) ? new Filter.Everything()
            : conditions is [var only] ? only
            : new Filter.Or([.. conditions]);
    }

    private static FieldSet Fields(Policy[] policies, Verbs verb, Func<Policy, FieldSet> fields)
    {
        if (policies.Length == 0)
        {
            return new FieldSet.Only([]);
        }

        var everyRecord = policies.All(policy => policy.For(verb) is Filter.Everything);
        return policies.Select(fields).Aggregate((one, other) => everyRecord ? one.Or(other) : one.And(other));
    }
}

/// <summary>One person's grants, for every dataset that there is.</summary>
/// <param name="rights">What the person's roles may do.</param>
/// <param name="user">Whose grants they are, for conditions that ask; null where it is nobody in particular.</param>
public sealed class Grants(Rights rights, SignedIn? user)
{
    /// <summary>What the person's roles may do; people with the same roles can share it.</summary>
    public Rights Rights => rights;

    /// <summary>Whose grants they are; null where it is nobody in particular.</summary>
    public SignedIn? User => user;

    /// <summary>Why nothing may be written with them at this moment, whatever the roles allow; null where it may.</summary>
    public string? ReadOnlyBecause { get; init; }

    /// <summary>The names that formulas have for that person.</summary>
    public FormulaNames Names => field ??= SignedIn.Names(user);

    /// <summary>What they stand for.</summary>
    public ImmutableDictionary<string, object?> Given => field ??= SignedIn.Given(user);

    /// <summary>A builder's, who looks at a source and at all that is in it.</summary>
    public static Grants ViewEverything { get; } = Everywhere(Grant.ViewOnly);

    /// <summary>The same grant everywhere.</summary>
    public static Grants Everywhere(Grant grant) => new(Rights.Everywhere(grant), null);

    /// <summary>What a person with these roles may do.</summary>
    public static Grants Of(IReadOnlySet<string> roles, IEnumerable<Policy> policies, SignedIn? user = null) =>
        new(Rights.Of(roles, policies), user);

    /// <summary>The grant for a dataset.</summary>
    public Grant For(DatasetId dataset) => rights.For(dataset);

    /// <summary>What of a dataset's records may be taken away in a file; null where none may.</summary>
    public Grants? ForDownload(DatasetId dataset) =>
        For(dataset) is var grant && grant.Allows(Verbs.Download) && grant.Allows(Verbs.View)
            ? new Grants(rights.Where(dataset, grant.For(Verbs.Download)), user) { ReadOnlyBecause = ReadOnlyBecause }
            : null;

    /// <summary>The same with each dataset's conditions in another form that means the same.</summary>
    public Grants WithConditions(Func<DatasetId, Filter, Filter> conditions) =>
        new(rights.WithConditions(conditions), user) { ReadOnlyBecause = ReadOnlyBecause };
}
