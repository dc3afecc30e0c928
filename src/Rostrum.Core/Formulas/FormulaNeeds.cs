using System.Runtime.CompilerServices;

namespace Rostrum.Core.Formulas;

/// <summary>What a formula reads of a record: values, and of related records the same again.</summary>
public sealed class FormulaNeeds
{
    /// <summary>The places of values.</summary>
    public SortedSet<int> Values { get; } = [];

    /// <summary>The related record at each place.</summary>
    public SortedDictionary<int, FormulaNeeds> Records { get; } = [];

    /// <summary>The list of related records at each place.</summary>
    public SortedDictionary<int, FormulaNeeds> Lists { get; } = [];

    private static readonly ConditionalWeakTable<Typed, object> KnownLists = [];

    /// <summary>Whether a formula looks at lists of related records; what was found out is kept for as long as the formula is.</summary>
    public static bool LooksAtLists(Typed formula) => (bool)KnownLists.GetValue(formula, known => Of([known]).Lists.Count > 0);

    /// <summary>What some formulas over the same shape read together.</summary>
    public static FormulaNeeds Of(IEnumerable<Typed> formulas)
    {
        ArgumentNullException.ThrowIfNull(formulas);
        var needs = new FormulaNeeds();
        foreach (var formula in formulas)
        {
            Visit(
                formula,
                [
                    [needs],
                ],
                _ => null
            );
        }

        return needs;
    }

    /// <summary>Notes what a formula reads of the records that the request gives.</summary>
    /// <param name="formula">The formula.</param>
    /// <param name="root">Where to note it for a name; null where that one does not matter.</param>
    /// <returns>Where to note what is read of the formula's own value, if that is a record or a list of them.</returns>
    public static IReadOnlyList<FormulaNeeds> Visit(Typed formula, Func<Typed.Given, FormulaNeeds?> root) =>
        Visit(
            formula,
            [
                [new FormulaNeeds()],
            ],
            root
        );

    /// <summary>Notes all that others note as well.</summary>
    public void Add(FormulaNeeds others)
    {
        ArgumentNullException.ThrowIfNull(others);
        Values.UnionWith(others.Values);
        foreach (var (mine, theirs) in new[] { (Records, others.Records), (Lists, others.Lists) })
        {
            foreach (var (index, needs) in theirs)
            {
                if (!mine.TryGetValue(index, out var known))
                {
                    mine.Add(index, known = new FormulaNeeds());
                }

                known.Add(needs);
            }
        }
    }

    // Gives what the value's own parts would be read from, where the value is a record or a list of them.
    private static FormulaNeeds[] Visit(Typed node, List<FormulaNeeds[]> levels, Func<Typed.Given, FormulaNeeds?> root)
    {
        switch (node)
        {
            case Typed.Given given:
                return root(given) is { } known ? [known] : [];
            case Typed.Scope scope:
                return levels[^(scope.Level + 1)];
            case Typed.Member member:
                return [.. Visit(member.Of, levels, root).Select(of => of.Part(member.Index, member.Type)).OfType<FormulaNeeds>()];
            case Typed.Each each:
                return [.. Visit(each.List, levels, root).Select(of => of.Part(each.Index, MemberType(each))).OfType<FormulaNeeds>()];
            case Typed.Walk walk:
                var elements = Visit(walk.List, levels, root);
                levels.Add(elements);
                Visit(walk.Body, levels, root);
                levels.RemoveAt(levels.Count - 1);
                return walk.Kind is ListWalk.Map ? [] : elements;
            default:
                return [.. node.Parts.SelectMany(child => Visit(child, levels, root))];
        }
    }

    private static FormulaType MemberType(Typed.Each each) =>
        ((FormulaType.Record)((FormulaType.List)each.List.Type).Element).Shape.Members[each.Index].Value;

    private FormulaNeeds? Part(int index, FormulaType type)
    {
        var among = type switch
        {
            FormulaType.Record => Records,
            FormulaType.List { Element: FormulaType.Record } => Lists,
            _ => null,
        };
        if (among is null)
        {
            Values.Add(index);
            return null;
        }

        if (!among.TryGetValue(index, out var part))
        {
            among.Add(index, part = new FormulaNeeds());
        }

        return part;
    }
}
