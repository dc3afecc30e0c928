using System.Collections.Immutable;
using System.Runtime.CompilerServices;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>A condition on a dataset's records. Blank is a value for <c>Is</c>; an order comparison with a blank is false.</summary>
public abstract record Filter
{
    private Filter() { }

    /// <summary>Every record.</summary>
    public sealed record Everything : Filter;

    /// <summary>No record.</summary>
    public sealed record Nothing : Filter;

    /// <summary>All of these hold.</summary>
    public sealed record And(ImmutableArray<Filter> Parts) : Filter;

    /// <summary>One of these holds.</summary>
    public sealed record Or(ImmutableArray<Filter> Parts) : Filter;

    /// <summary>This does not hold.</summary>
    public sealed record Not(Filter Part) : Filter;

    /// <summary>The field's value is one of these, blank among them where it is listed.</summary>
    public sealed record OneOf(FieldName Field, ImmutableArray<object?> Values) : Filter;

    /// <summary>The field's value stands in this order to another.</summary>
    public sealed record Compare(FieldName Field, Comparison Comparison, object Value) : Filter;

    /// <summary>The field's text has this in it, in capitals or small letters.</summary>
    public sealed record Contains(FieldName Field, string Text) : Filter;

    /// <summary>
    /// Another record has the same values in all of these fields, which the dataset keeps; a blank is the same as nothing.
    /// </summary>
    /// <remarks>It speaks of records beside the one in question: the gate answers it only to whoever sees them all.</remarks>
    public sealed record Alike(ImmutableArray<FieldName> Among) : Filter;

    /// <summary>A formula over the record holds; blank is not true.</summary>
    public sealed record Holds(string Formula) : Filter
    {
        /// <summary>A formula that was made as a tree; its text is for people and for telling it from others.</summary>
        public Holds(Syntax tree)
            : this(Formatter.Format(tree)) => Tree = tree;

        /// <summary>The formula as a tree, where it was made as one: its text need not be read again.</summary>
        public Syntax? Tree { get; }

        private static readonly ConditionalWeakTable<string, ParsedFormula> Kept = [];

        /// <summary>The formula as a tree, which is kept for as long as its text is; null where that is no formula.</summary>
        public Syntax? Read() => Tree ?? (Kept.GetValue(Formula, Parser.Parse) is { Problems.IsEmpty: true, Tree: var tree } ? tree : null);

        /// <inheritdoc/>
        public bool Equals(Holds? other) => other is not null && Formula == other.Formula;

        /// <inheritdoc/>
        public override int GetHashCode() => Formula.GetHashCode(StringComparison.Ordinal);
    }

    /// <summary>The dataset is a query, and these are its parameters' values: every record that it gives with them.</summary>
    public sealed record Given(ImmutableDictionary<string, object?> Values) : Filter
    {
        /// <summary>No values.</summary>
        internal static ImmutableDictionary<string, object?> None { get; } =
            ImmutableDictionary<string, object?>.Empty.WithComparers(StringComparer.OrdinalIgnoreCase);
    }

    /// <summary>The values of a query's parameters that the condition gives.</summary>
    public ImmutableDictionary<string, object?> Parameters =>
        this switch
        {
            And and => and.Parts.Aggregate(Given.None, (all, part) => all.SetItems(part.Parameters)),
            Given given => given.Values,
            _ => Given.None,
        };

    /// <summary>Both hold; nothing is added where one is everything.</summary>
    public static Filter Both(Filter one, Filter other) =>
        (one, other) switch
        {
            (Everything, _) => other,
            (_, Everything) => one,
            _ => new And([one, other]),
        };

    /// <summary>The same with each formula in it replaced.</summary>
    public Filter WithFormulas(Func<Holds, Filter> replaced) =>
        this switch
        {
            And and => new And([.. and.Parts.Select(part => part.WithFormulas(replaced))]),
            Or or => new Or([.. or.Parts.Select(part => part.WithFormulas(replaced))]),
            Not not => new Not(not.Part.WithFormulas(replaced)),
            Holds holds => replaced(holds),
            _ => this,
        };

    /// <summary>The conditions in it that are formulas.</summary>
    public IEnumerable<Holds> Conditions =>
        this switch
        {
            And and => and.Parts.SelectMany(part => part.Conditions),
            Or or => or.Parts.SelectMany(part => part.Conditions),
            Not not => not.Part.Conditions,
            Holds holds => [holds],
            _ => [],
        };

    /// <summary>The texts of the formulas in the condition.</summary>
    public IEnumerable<string> Formulas => Conditions.Select(holds => holds.Formula);

    /// <summary>The fields that the condition names outside formulas.</summary>
    public IEnumerable<FieldName> Fields =>
        this switch
        {
            And and => and.Parts.SelectMany(part => part.Fields),
            Or or => or.Parts.SelectMany(part => part.Fields),
            Not not => not.Part.Fields,
            OneOf oneOf => [oneOf.Field],
            Compare compare => [compare.Field],
            Contains contains => [contains.Field],
            Alike alike => alike.Among,
            _ => [],
        };

    /// <summary>The parts that look at records beside the one in question.</summary>
    public IEnumerable<Alike> LooksAtOthers =>
        this switch
        {
            And and => and.Parts.SelectMany(part => part.LooksAtOthers),
            Or or => or.Parts.SelectMany(part => part.LooksAtOthers),
            Not not => not.Part.LooksAtOthers,
            Alike alike => [alike],
            _ => [],
        };
}

/// <summary>An order between two values.</summary>
public enum Comparison
{
    /// <summary>&lt;</summary>
    Less,

    /// <summary>&lt;=</summary>
    AtMost,

    /// <summary>&gt;</summary>
    More,

    /// <summary>&gt;=</summary>
    AtLeast,
}
