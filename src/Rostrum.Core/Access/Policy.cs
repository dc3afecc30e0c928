using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Access;

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
