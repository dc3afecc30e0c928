using System.Collections.Immutable;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>
/// A condition as people pick it from lists. It is the same thing as a formula, seen another way: see <see cref="ConditionFormula"/>.
/// </summary>
public abstract record Condition
{
    private Condition() { }

    /// <summary>All of these hold; there are two at least.</summary>
    public sealed record All(ImmutableArray<Condition> Parts) : Condition;

    /// <summary>One of these holds; there are two at least.</summary>
    public sealed record Any(ImmutableArray<Condition> Parts) : Condition;

    /// <summary>One question about one value.</summary>
    /// <param name="Name">The value's name as formulas have it: <c>due</c>, or <c>vessel.state</c> by way of a relation.</param>
    /// <param name="Question">The question.</param>
    /// <param name="Operand">What the value is held against; null for the questions that need nothing.</param>
    public sealed record Test(ImmutableArray<string> Name, Question Question, Operand? Operand = null) : Condition;

    /// <summary>The questions of the condition, however deep they stand.</summary>
    public IEnumerable<Test> Tests =>
        this switch
        {
            All all => all.Parts.SelectMany(part => part.Tests),
            Any any => any.Parts.SelectMany(part => part.Tests),
            Test test => [test],
            _ => [],
        };
}

/// <summary>What a condition asks of a value.</summary>
public enum Question
{
    /// <summary>There is a value.</summary>
    IsGiven,

    /// <summary>There is none, or an empty text.</summary>
    IsBlank,

    /// <summary>It is this.</summary>
    Is,

    /// <summary>It is not this.</summary>
    IsNot,

    /// <summary>It is one of these.</summary>
    IsOneOf,

    /// <summary>It is none of these.</summary>
    IsNoneOf,

    /// <summary>It is smaller, or earlier.</summary>
    Less,

    /// <summary>It is this or smaller.</summary>
    AtMost,

    /// <summary>It is greater, or later.</summary>
    More,

    /// <summary>It is this or greater.</summary>
    AtLeast,

    /// <summary>It has a text in it.</summary>
    Contains,

    /// <summary>It begins with a text.</summary>
    StartsWith,

    /// <summary>It ends with a text.</summary>
    EndsWith,

    /// <summary>It fits a regular expression.</summary>
    Matches,

    /// <summary>It has this many characters or fewer.</summary>
    LengthAtMost,

    /// <summary>It has this many characters or more.</summary>
    LengthAtLeast,
}

/// <summary>What a value is held against.</summary>
public abstract record Operand
{
    private Operand() { }

    /// <summary>
    /// A value that formulas can write: a <see cref="string"/>, <see cref="decimal"/>, <see cref="bool"/> or <see cref="DateOnly"/>.
    /// </summary>
    public sealed record Value(object Is) : Operand;

    /// <summary>Several such values; two at least.</summary>
    public sealed record Values(ImmutableArray<object> Are) : Operand;

    /// <summary>Another value of the record, or of who is signed in.</summary>
    public sealed record Other(ImmutableArray<string> Name) : Operand;

    /// <summary>So many days from today; negative before it.</summary>
    public sealed record FromToday(int Days) : Operand;

    /// <summary>The moment so many days from now.</summary>
    public sealed record FromNow(int Days) : Operand;
}
