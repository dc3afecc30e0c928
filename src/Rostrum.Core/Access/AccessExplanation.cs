using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Access;

/// <summary>What one policy says to one verb.</summary>
/// <param name="Role">The role whose policy it is.</param>
/// <param name="Condition">The condition on records, as a formula; null where it asks none.</param>
/// <param name="Holds">Whether it holds for the record in question; null where no record is, so that it depends.</param>
public sealed record DecisionReason(string Role, string? Condition, bool? Holds);

/// <summary>Whether a person may do something with a dataset's records, and by what.</summary>
/// <param name="Verb">What.</param>
/// <param name="Reasons">The policies of the person's roles that have the verb; none denies.</param>
public sealed record Decision(Verbs Verb, ImmutableArray<DecisionReason> Reasons)
{
    /// <summary>Allowed, denied, or (null) a matter of the record.</summary>
    public bool? Allowed =>
        Reasons.Any(reason => reason.Holds is true) ? true
        : Reasons.Any(reason => reason.Holds is null) ? null
        : false;

    /// <summary>The policies that speak to a verb, with the condition of each.</summary>
    public static IEnumerable<(Policy Policy, Filter Condition)> About(
        Verbs verb,
        IReadOnlySet<string> roles,
        IEnumerable<Policy> policies,
        DatasetId dataset
    ) =>
        from policy in policies
        where policy.Dataset == dataset && roles.Contains(policy.Role) && policy.Verbs.HasFlag(verb)
        select (policy, policy.For(verb));
}
