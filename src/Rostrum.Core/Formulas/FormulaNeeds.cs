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

    /// <summary>What some formulas over the same shape read together.</summary>
    public static FormulaNeeds Of(IEnumerable<Typed> formulas)
    {
        ArgumentNullException.ThrowIfNull(formulas);
        var needs = new FormulaNeeds();
        foreach (var formula in formulas)
        {
            Visit(formula, [[needs]]);
        }

        return needs;
    }

    // Gives what the value's own parts would be read from, where the value is a record or a list of them.
    private static FormulaNeeds[] Visit(Typed node, List<FormulaNeeds[]> levels)
    {
        switch (node)
        {
            case Typed.Scope scope:
                return levels[^(scope.Level + 1)];
            case Typed.Member member:
                return [.. Visit(member.Of, levels).Select(of => of.Part(member.Index, member.Type)).OfType<FormulaNeeds>()];
            case Typed.Each each:
                return [.. Visit(each.List, levels).Select(of => of.Part(each.Index, MemberType(each))).OfType<FormulaNeeds>()];
            case Typed.Walk walk:
                var elements = Visit(walk.List, levels);
                levels.Add(elements);
                Visit(walk.Body, levels);
                levels.RemoveAt(levels.Count - 1);
                return walk.Kind is ListWalk.Map ? [] : elements;
            default:
                return [.. node.Parts.SelectMany(child => Visit(child, levels))];
        }
    }

    private static FormulaType MemberType(Typed.Each each) => ((FormulaType.Record)((FormulaType.List)each.List.Type).Element).Shape.Members[each.Index].Value;

    private FormulaNeeds? Part(int index, FormulaType type)
    {
        var among = type switch { FormulaType.Record => Records, FormulaType.List => Lists, _ => null };
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
