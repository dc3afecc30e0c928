using System.Collections.Immutable;

namespace Rostrum.Core.Formulas;

/// <summary>A stretch of a formula's text, in UTF-16 units from its start.</summary>
[System.Runtime.InteropServices.StructLayout(System.Runtime.InteropServices.LayoutKind.Auto)]
public readonly record struct Span(int Start, int Length)
{
    /// <summary>From the start of one to the end of another.</summary>
    public static Span Over(Span first, Span last) => new(first.Start, last.Start + last.Length - first.Start);
}

/// <summary>Something wrong with a formula, where it stands, and what to write instead where that can be told.</summary>
public sealed record FormulaProblem(Span Span, string Message, string? Correction = null);

/// <summary>A formula's tree as it was written.</summary>
public abstract record Syntax(Span Span)
{
    /// <summary>A number; a percent sign after it is a node of its own.</summary>
    public sealed record Number(Span Span, decimal Value) : Syntax(Span);

    /// <summary>A text in double quotes.</summary>
    public sealed record Text(Span Span, string Value) : Syntax(Span);

    /// <summary>TRUE or FALSE.</summary>
    public sealed record Truth(Span Span, bool Value) : Syntax(Span);

    /// <summary>BLANK.</summary>
    public sealed record Blank(Span Span) : Syntax(Span);

    /// <summary>A name on its own.</summary>
    public sealed record Name(Span Span, string Value) : Syntax(Span);

    /// <summary>A name after a dot.</summary>
    public sealed record Member(Span Span, Syntax Of, string Value, Span NameSpan) : Syntax(Span);

    /// <summary>A function and its arguments.</summary>
    public sealed record Call(Span Span, string Function, Span FunctionSpan, ImmutableArray<Syntax> Arguments) : Syntax(Span);

    /// <summary>Two operands and what stands between them.</summary>
    public sealed record Binary(Span Span, Operator Operator, Span OperatorSpan, Syntax Left, Syntax Right) : Syntax(Span);

    /// <summary>A sign before an operand.</summary>
    public sealed record Prefix(Span Span, bool Negative, Syntax Operand) : Syntax(Span);

    /// <summary>A percent sign after an operand.</summary>
    public sealed record Percent(Span Span, Syntax Operand) : Syntax(Span);

    /// <summary>Where something should stand and nothing does.</summary>
    public sealed record Missing(Span Span) : Syntax(Span);
}

/// <summary>What can stand between two operands.</summary>
public enum Operator
{
    /// <summary>=</summary>
    Equal,

    /// <summary>&lt;&gt;</summary>
    NotEqual,

    /// <summary>&lt;</summary>
    Less,

    /// <summary>&lt;=</summary>
    AtMost,

    /// <summary>&gt;</summary>
    More,

    /// <summary>&gt;=</summary>
    AtLeast,

    /// <summary>&amp;</summary>
    Join,

    /// <summary>+</summary>
    Add,

    /// <summary>-</summary>
    Subtract,

    /// <summary>*</summary>
    Multiply,

    /// <summary>/</summary>
    Divide,

    /// <summary>^</summary>
    Power,
}

/// <summary>How operators are written and how tightly they bind, by OpenFormula 1.2, section 5.5.</summary>
public static class Operators
{
    /// <summary>The operator's sign.</summary>
    public static string Sign(this Operator value) =>
        value switch
        {
            Operator.Equal => "=",
            Operator.NotEqual => "<>",
            Operator.Less => "<",
            Operator.AtMost => "<=",
            Operator.More => ">",
            Operator.AtLeast => ">=",
            Operator.Join => "&",
            Operator.Add => "+",
            Operator.Subtract => "-",
            Operator.Multiply => "*",
            Operator.Divide => "/",
            Operator.Power => "^",
            _ => throw new ArgumentOutOfRangeException(nameof(value), value, "unknown operator"),
        };

    /// <summary>The larger, the tighter. All bind from the left.</summary>
    public static int Tightness(this Operator value) =>
        value switch
        {
            Operator.Join => 2,
            Operator.Add or Operator.Subtract => 3,
            Operator.Multiply or Operator.Divide => 4,
            Operator.Power => 5,
            _ => 1,
        };
}
