namespace Rostrum.Core.Formulas;

/// <summary>How far a number's digits can be trusted, known from the formula alone.</summary>
/// <remarks>
/// A division seldom ends, so that its last digits depend on who computes it. Where such a number is compared, rounded or
/// written out, a last digit too little would count: a third times three would not be one. So a <see cref="Rounded"/>
/// number is <i>settled</i> there, which is to say rounded to 15 significant digits. A <see cref="Quotient"/> need not be,
/// except where it is written out: whenever it ends, it is exact, and where it does not end, it is never equal to a number that does.
/// </remarks>
public enum Exactness
{
    /// <summary>All digits are right.</summary>
    Exact,

    /// <summary>One division of exact numbers, perhaps with exact ones added: right to the last digit that a number has.</summary>
    Quotient,

    /// <summary>Computed further with a quotient, or a root or a logarithm: the last digits are chance.</summary>
    Rounded,
}

/// <summary>How the exactness of a computation follows from that of its operands.</summary>
public enum ExactnessRule
{
    /// <summary>The value is exact; operands are settled first. What holds where nothing else is said.</summary>
    Exact,

    /// <summary>The value is exact, and each digit of an operand counts in it: quotients are settled as well.</summary>
    Written,

    /// <summary>As the least exact operand.</summary>
    Least,

    /// <summary>As the elements of the lists among the operands; the other operands are settled first.</summary>
    Elements,

    /// <summary>A sum or a difference; operands are settled first, or the digits that are chance might be all that is left.</summary>
    Sum,

    /// <summary>A product.</summary>
    Product,

    /// <summary>A division.</summary>
    Division,

    /// <summary>A sum that is divided by a count.</summary>
    Mean,

    /// <summary>A number multiplied with itself.</summary>
    Power,

    /// <summary>Never exact.</summary>
    Rounded,
}

/// <summary>Says of a computation how exact it is.</summary>
[AttributeUsage(AttributeTargets.Method)]
public sealed class ExactnessAttribute(ExactnessRule rule) : Attribute
{
    /// <summary>The rule.</summary>
    public ExactnessRule Rule { get; } = rule;
}

/// <summary>How exactness follows from operands.</summary>
public static class Exactnesses
{
    /// <summary>Whether an operand must be settled first.</summary>
    internal static bool Settles(this ExactnessRule rule, Exactness operand) =>
        operand switch
        {
            Exactness.Exact => false,
            Exactness.Quotient => rule is ExactnessRule.Written,
            _ => rule is ExactnessRule.Exact or ExactnessRule.Written or ExactnessRule.Elements or ExactnessRule.Sum or ExactnessRule.Mean,
        };

    internal static Exactness Of(ExactnessRule rule, ReadOnlySpan<Typed> operands) =>
        rule switch
        {
            ExactnessRule.Exact or ExactnessRule.Written => Exactness.Exact,
            ExactnessRule.Rounded => Exactness.Rounded,
            ExactnessRule.Least => Least(operands),
            ExactnessRule.Elements => Elements(operands),
            ExactnessRule.Sum => Quotients(operands) > 1 ? Exactness.Rounded : Least(operands),
            ExactnessRule.Mean => Least(operands) is Exactness.Exact ? Exactness.Quotient : Exactness.Rounded,
            ExactnessRule.Product => Product(operands[0], operands[1]),
            ExactnessRule.Division => Division(operands[0], operands[1]),
            ExactnessRule.Power => operands[0].Exactness is Exactness.Exact
            && operands[1] is Typed.Constant { Value: decimal and >= 0 and <= 8 and var exponent }
            && decimal.IsInteger(exponent)
                ? Exactness.Exact
                : Exactness.Rounded,
            _ => throw new ArgumentOutOfRangeException(nameof(rule), rule, "unknown rule"),
        };

    /// <summary>Whether a number is a power of ten, or one over it: what is multiplied or divided by it keeps its digits.</summary>
    public static bool IsPowerOfTen(Typed node)
    {
        if (node is not Typed.Constant { Value: decimal and > 0 and var number })
        {
            return false;
        }

        while (number < 1)
        {
            number *= 10;
        }

        while (number > 1)
        {
            number /= 10;
        }

        return number == 1;
    }

    private static Exactness Least(ReadOnlySpan<Typed> operands)
    {
        var least = Exactness.Exact;
        foreach (var operand in operands)
        {
            least = operand.Exactness > least ? operand.Exactness : least;
        }

        return least;
    }

    private static Exactness Elements(ReadOnlySpan<Typed> operands)
    {
        var least = Exactness.Exact;
        foreach (var operand in operands)
        {
            least = operand.Type is FormulaType.List && operand.Exactness > least ? operand.Exactness : least;
        }

        return least;
    }

    private static int Quotients(ReadOnlySpan<Typed> operands)
    {
        var quotients = 0;
        foreach (var operand in operands)
        {
            quotients += operand.Exactness is Exactness.Quotient ? 1 : 0;
        }

        return quotients;
    }

    private static Exactness Product(Typed one, Typed other) =>
        (one.Exactness, other.Exactness) switch
        {
            (Exactness.Exact, Exactness.Exact) => Exactness.Exact,
            (Exactness.Quotient, Exactness.Exact) when IsPowerOfTen(other) => Exactness.Quotient,
            (Exactness.Exact, Exactness.Quotient) when IsPowerOfTen(one) => Exactness.Quotient,
            _ => Exactness.Rounded,
        };

    private static Exactness Division(Typed dividend, Typed divisor) =>
        (dividend.Exactness, divisor.Exactness) switch
        {
            (Exactness.Exact, Exactness.Exact) when IsPowerOfTen(divisor) => Exactness.Exact,
            (not Exactness.Rounded, Exactness.Exact) => Exactness.Quotient,
            _ => Exactness.Rounded,
        };
}
