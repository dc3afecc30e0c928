using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Access;

/// <summary>What whoever has certain roles may do with each dataset's records.</summary>
public sealed class Rights
{
    /// <summary>The verbs one by one, in the order in which they are always named: seeing first.</summary>
    public static ImmutableArray<Verbs> EachVerb { get; } =
    [Verbs.View, Verbs.Create, Verbs.Update, Verbs.Delete, Verbs.Download, Verbs.ReadNotes, Verbs.WriteNotes, Verbs.RunActions];

    private readonly FrozenDictionary<DatasetId, Grant>? _byDataset;
    private readonly Grant _otherwise;
    private Rights? _and;
    private Func<DatasetId, Filter, Filter>? _conditions;

    private Rights(FrozenDictionary<DatasetId, Grant>? byDataset, Grant otherwise)
    {
        (_byDataset, _otherwise) = (byDataset, otherwise);
        HasFieldsByRecord = byDataset?.Values.Any(grant => !grant.ByRecord.IsEmpty) == true;
    }

    /// <summary>The same grant everywhere.</summary>
    public static Rights Everywhere(Grant grant) => new(null, grant);

    /// <summary>Everything on some datasets, and of all others no more than to look.</summary>
    public static Rights EverythingOn(IEnumerable<DatasetId> datasets) =>
        new(datasets.ToFrozenDictionary(dataset => dataset, _ => Grant.Everything), Grant.ViewOnly);

    /// <summary>What these roles may do: what no policy allows is denied.</summary>
    /// <remarks>
    /// Roles add up: a verb applies to the records of each policy that has it, and a field of a record may be read or written where one
    /// of the policies has both.
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

    /// <summary>There are fields that may be read or written in some records and not in others.</summary>
    public bool HasFieldsByRecord { get; private init; }

    /// <summary>The grant for a dataset.</summary>
    public Grant For(DatasetId dataset)
    {
        var grant = _byDataset?.GetValueOrDefault(dataset) ?? _otherwise;
        grant = _and is null ? grant : grant.And(_and.For(dataset));
        return _conditions is null ? grant : grant.With(condition => _conditions(dataset, condition));
    }

    /// <summary>The same with each dataset's conditions in another form that means the same.</summary>
    public Rights WithConditions(Func<DatasetId, Filter, Filter> conditions) =>
        new(_byDataset, _otherwise)
        {
            _and = _and,
            _conditions = conditions,
            HasFieldsByRecord = HasFieldsByRecord,
        };

    /// <summary>What both allow.</summary>
    public Rights And(Rights other) =>
        new(_byDataset, _otherwise)
        {
            _and = _and is null ? other : _and.And(other),
            HasFieldsByRecord = HasFieldsByRecord || other.HasFieldsByRecord,
        };

    /// <summary>The same, with fewer of one dataset's records.</summary>
    public Rights Where(DatasetId dataset, Filter condition) =>
        And(
            new Rights(
                new Dictionary<DatasetId, Grant> { [dataset] = Grant.Everything with { Condition = condition } }.ToFrozenDictionary(),
                Grant.Everything
            )
        );

    private static Grant Together(Policy[] policies)
    {
        (Verbs Verb, ImmutableArray<FieldsWhere> Parts)[] fields =
        [
            (Verbs.View, Parts(policies, Verbs.View, policy => policy.Readable)),
            (Verbs.Update, Parts(policies, Verbs.Update, policy => policy.Writable)),
            (Verbs.Create, Parts(policies, Verbs.Create, policy => policy.WritableInNew)),
        ];
        FieldSet Union(int at) => fields[at].Parts.Select(part => part.Fields).Aggregate(FieldSet.None, (one, other) => one.Or(other));
        return new Grant(
            policies.Aggregate(Verbs.None, (verbs, policy) => verbs | policy.Verbs),
            Where(policies, Verbs.View),
            Union(0),
            Union(1)
        )
        {
            WritableInNew = Union(2),
            Conditions = EachVerb.Skip(1).ToImmutableDictionary(verb => verb, verb => Where(policies, verb)),
            ByRecord = fields
                .Where(one =>
                    one.Parts.Any(part => part.Condition is not Filter.Everything)
                    && one.Parts.Any(part => !part.Fields.IsSameAs(one.Parts[0].Fields))
                )
                .ToImmutableDictionary(one => one.Verb, one => new FieldsByRecord(one.Parts)),
        };
    }

    private static ImmutableArray<FieldsWhere> Parts(Policy[] policies, Verbs verb, Func<Policy, FieldSet> fields) =>
        [.. policies.Where(policy => policy.Verbs.HasFlag(verb)).Select(policy => new FieldsWhere(policy.For(verb), fields(policy)))];

    private static Filter Where(Policy[] policies, Verbs verb)
    {
        var conditions = policies.Where(policy => policy.Verbs.HasFlag(verb)).Select(policy => policy.For(verb)).Distinct().ToArray();
        return conditions.Length == 0 ? new Filter.Nothing()
            : conditions.Any(condition => condition is Filter.Everything) ? new Filter.Everything()
            : conditions is [var only] ? only
            : new Filter.Or([.. conditions]);
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

    /// <summary>The same with one condition in the place of all those on a dataset's records.</summary>
    public Grants WithCondition(DatasetId dataset, Filter condition) => WithConditions((id, known) => id == dataset ? condition : known);

    /// <summary>The same with each dataset's conditions in another form that means the same.</summary>
    public Grants WithConditions(Func<DatasetId, Filter, Filter> conditions) =>
        new(rights.WithConditions(conditions), user) { ReadOnlyBecause = ReadOnlyBecause };
}
