using System.Collections.Immutable;

namespace Rostrum.Core.Formulas;

/// <summary>
/// Puts a computed field's own formula in the place of its name, so that whoever computes a formula meets stored values only.
/// </summary>
public static class Inlining
{
    /// <summary>A formula of a record, as one of the record that an expression gives.</summary>
    /// <param name="formula">A formula over a record of its own.</param>
    /// <param name="record">What takes that record's place.</param>
    public static Typed Of(Typed formula, Typed record) =>
        record is Typed.Scope { Level: 0 }
            ? formula
            : Map(formula, 0, (scope, depth) => scope.Level == depth ? Shifted(record, depth) : scope);

    /// <summary>
    /// A formula over a record as one over the record that a relation leads to; null where it reads anything else of the first.
    /// </summary>
    /// <param name="formula">The formula.</param>
    /// <param name="index">Where the relation stands in the record's shape.</param>
    public static Typed? Through(Typed formula, int index)
    {
        var readsMore = false;
        var through = Map(
            formula,
            0,
            (scope, depth) =>
            {
                readsMore |= scope.Level == depth;
                return scope;
            },
            (member, depth) =>
                member is { Of: Typed.Scope scope } && scope.Level == depth && member.Index == index
                    ? new Typed.Scope(member.Type, depth)
                    : null
        );
        return readsMore ? null : through;
    }

    // Within so many more levels of names, the same records stand so much further out.
    private static Typed Shifted(Typed record, int by) =>
        by == 0 ? record : Map(record, 0, (scope, depth) => scope.Level >= depth ? scope with { Level = scope.Level + by } : scope);

    private static Typed Map(
        Typed node,
        int depth,
        Func<Typed.Scope, int, Typed> replace,
        Func<Typed.Member, int, Typed?>? replaceMember = null
    )
    {
        Typed Again(Typed part) => Map(part, depth, replace, replaceMember);
        return node switch
        {
            Typed.Scope scope => replace(scope, depth),
            Typed.Member member when replaceMember?.Invoke(member, depth) is { } replaced => replaced,
            Typed.Member member => member with { Of = Again(member.Of) },
            Typed.Each each => each with { List = Again(each.List) },
            Typed.Same same => same with { Left = Again(same.Left), Right = Again(same.Right) },
            Typed.Ordered ordered => ordered with { Left = Again(ordered.Left), Right = Again(ordered.Right) },
            Typed.Invocation invocation => invocation with { Arguments = [.. invocation.Arguments.Select(Again)] },
            Typed.Cases cases => cases with
            {
                Branches =
                [
                    .. cases.Branches.Select(branch => (branch.Condition is { } condition ? Again(condition) : null, Again(branch.Value))),
                ],
            },
            Typed.Conditions conditions => conditions with { All = [.. conditions.All.Select(Again)] },
            Typed.Otherwise otherwise => otherwise with { Value = Again(otherwise.Value), Other = Again(otherwise.Other) },
            Typed.Walk walk => walk with { List = Again(walk.List), Body = Map(walk.Body, depth + 1, replace, replaceMember) },
            _ => node,
        };
    }
}
