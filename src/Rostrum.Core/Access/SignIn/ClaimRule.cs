using System.Collections.Immutable;

namespace Rostrum.Core.Access.SignIn;

/// <summary>Something that a provider says of a person.</summary>
/// <param name="Type">What it is about, such as <c>groups</c> or <c>department</c>.</param>
/// <param name="Value">What it says.</param>
public sealed record PersonClaim(string Type, string Value);

/// <summary>What a claim gives to whoever has it.</summary>
public enum ClaimGift
{
    /// <summary>A role.</summary>
    Role,

    /// <summary>Membership of a group.</summary>
    Group,

    /// <summary>The claim's value, as the value of an attribute.</summary>
    Attribute,
}

/// <summary>A claim, and what it gives.</summary>
/// <param name="Claim">The claim's type.</param>
/// <param name="Value">The value that it must have; any where blank.</param>
/// <param name="Gives">What kind of thing it gives.</param>
/// <param name="Name">The name of the role, the group or the attribute.</param>
public sealed record ClaimRule(string Claim, string Value, ClaimGift Gives, string Name);

/// <summary>What a provider's rules make of what it says of one person.</summary>
/// <param name="Roles">The roles that the person has by it.</param>
/// <param name="Groups">The groups.</param>
/// <param name="Attributes">The values of attributes, as text.</param>
public sealed record ClaimGifts(
    ImmutableHashSet<string> Roles,
    ImmutableHashSet<string> Groups,
    ImmutableDictionary<string, string> Attributes
)
{
    /// <summary>Applies rules to claims. Types are compared exactly, values without regard to case.</summary>
    public static ClaimGifts Of(IReadOnlyCollection<ClaimRule> rules, IReadOnlyCollection<PersonClaim> claims)
    {
        var matching = (
            from rule in rules
            let claim = claims.FirstOrDefault(claim => Matches(rule, claim))
            where claim is not null
            select (Rule: rule, Claim: claim)
        ).ToArray();
        return new ClaimGifts(
            [.. matching.Where(match => match.Rule.Gives is ClaimGift.Role).Select(match => match.Rule.Name)],
            [.. matching.Where(match => match.Rule.Gives is ClaimGift.Group).Select(match => match.Rule.Name)],
            matching
                .Where(match => match.Rule.Gives is ClaimGift.Attribute)
                .DistinctBy(match => match.Rule.Name)
                .ToImmutableDictionary(match => match.Rule.Name, match => match.Claim.Value)
        );
    }

    /// <summary>
    /// What a person holds after a sign-in: what rules can give is theirs alone to give and to take; what they do not speak of stays.
    /// </summary>
    /// <param name="held">What the person holds.</param>
    /// <param name="rules">All rules of the provider.</param>
    /// <param name="gives">Roles or groups.</param>
    /// <param name="given">What the rules give at this sign-in.</param>
    public static ImmutableHashSet<string> After(
        IEnumerable<string> held,
        IEnumerable<ClaimRule> rules,
        ClaimGift gives,
        IEnumerable<string> given
    ) => held.Except(rules.Where(rule => rule.Gives == gives).Select(rule => rule.Name)).Union(given).ToImmutableHashSet();

    private static bool Matches(ClaimRule rule, PersonClaim claim) =>
        rule.Claim == claim.Type && (rule.Value.Length == 0 || rule.Value.Equals(claim.Value, StringComparison.OrdinalIgnoreCase));
}
