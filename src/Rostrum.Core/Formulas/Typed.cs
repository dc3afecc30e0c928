using System.Collections.Immutable;

namespace Rostrum.Core.Formulas;

/// <summary>
/// A formula's tree after checking: every node knows its type, every name where its value stands, every function which one it is.
/// </summary>
public abstract record Typed(FormulaType Type)
{
    /// <summary>Of a number: how far its digits can be trusted.</summary>
    public virtual Exactness Exactness => Exactness.Exact;

    /// <summary>
    /// The parts that see the same names as the whole does. What is looked at through a record or a list is not among them.
    /// </summary>
    public IEnumerable<Typed> Parts =>
        this switch
        {
            Same same => [same.Left, same.Right],
            Ordered ordered => [ordered.Left, ordered.Right],
            Invocation invocation => invocation.Arguments,
            Cases cases => cases.Branches.SelectMany(branch =>
                branch.Condition is { } condition ? new[] { condition, branch.Value } : [branch.Value]
            ),
            Conditions conditions => conditions.All,
            Otherwise otherwise => [otherwise.Value, otherwise.Other],
            _ => [],
        };

    /// <summary>A value that stands in the text.</summary>
    public sealed record Constant(FormulaType Type, object? Value) : Typed(Type);

    /// <summary>
    /// What a name beside the record's stands for: who is signed in, a panel of the page. Each request gives it in its
    /// <see cref="FormulaContext"/>.
    /// </summary>
    public sealed record Given(FormulaType Type, string Name) : Typed(Type);

    /// <summary>The record that a level of names belongs to: 0 is the innermost.</summary>
    public sealed record Scope(FormulaType Type, int Level) : Typed(Type);

    /// <summary>A member of a record.</summary>
    public sealed record Member(FormulaType Type, Typed Of, int Index, string Name) : Typed(Type);

    /// <summary>A member of each record of a list, lists of it run together.</summary>
    public sealed record Each(FormulaType Type, Typed List, int Index, string Name) : Typed(Type);

    /// <summary>Two operands of one type compared, by value; a blank equals a blank.</summary>
    public sealed record Same(Typed Left, Typed Right, bool Negated) : Typed(new FormulaType.Boolean());

    /// <summary>Two operands of one type in an order; false with a blank.</summary>
    public sealed record Ordered(Typed Left, Typed Right, Operator Operator) : Typed(new FormulaType.Boolean());

    /// <summary>A function or an operator with its arguments, in the order of its parameters.</summary>
    public sealed record Invocation(FormulaType Type, FunctionOverload Function, ImmutableArray<Typed> Arguments) : Typed(Type)
    {
        /// <inheritdoc/>
        public override Exactness Exactness { get; } = Exactnesses.Of(Function.Exactness, Arguments.AsSpan());
    }

    /// <summary>The first value whose condition holds; the last has none.</summary>
    public sealed record Cases(FormulaType Type, ImmutableArray<(Typed? Condition, Typed Value)> Branches) : Typed(Type)
    {
        /// <inheritdoc/>
        public override Exactness Exactness { get; } = Branches.Max(branch => branch.Value.Exactness);
    }

    /// <summary>All (or, where <paramref name="Any"/>, one) of the conditions hold; a blank one does not.</summary>
    public sealed record Conditions(ImmutableArray<Typed> All, bool Any) : Typed(new FormulaType.Boolean());

    /// <summary>The value, or another where it is blank.</summary>
    public sealed record Otherwise(FormulaType Type, Typed Value, Typed Other) : Typed(Type)
    {
        /// <inheritdoc/>
        public override Exactness Exactness { get; } = Exactnesses.Of(ExactnessRule.Least, [Value, Other]);
    }

    /// <summary>A function of a list that looks at each element through an expression of its own.</summary>
    public sealed record Walk(FormulaType Type, ListWalk Kind, Typed List, Typed Body, bool Descending = false) : Typed(Type)
    {
        /// <inheritdoc/>
        public override Exactness Exactness { get; } =
            Kind is ListWalk.Map && Body.Exactness is not Exactness.Exact ? Exactness.Rounded : Exactness.Exact;
    }
}

/// <summary>What a <see cref="Typed.Walk"/> does with a list.</summary>
public enum ListWalk
{
    /// <summary>Keeps the elements for which the body holds.</summary>
    Filter,

    /// <summary>Orders the elements by the body, blanks last.</summary>
    Sort,

    /// <summary>Gives the body's value for each element.</summary>
    Map,

    /// <summary>Whether the body holds for all.</summary>
    All,

    /// <summary>Whether the body holds for one.</summary>
    Any,
}
