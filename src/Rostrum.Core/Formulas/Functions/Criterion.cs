using System.Globalization;

namespace Rostrum.Core.Formulas.Functions;

/// <summary>
/// A condition over single values, by OpenFormula 1.2, section 4.11.8: a value that they are equal to, or <c>&gt;4</c> and the like.
/// </summary>
/// <param name="Sign">How it compares.</param>
/// <param name="Than">What it compares with, as text.</param>
public sealed record Criterion(Operator Sign, string Than)
{
    private static readonly (string Sign, Operator Operator)[] Signs =
    [
        ("<=", Operator.AtMost),
        (">=", Operator.AtLeast),
        ("<>", Operator.NotEqual),
        ("<", Operator.Less),
        (">", Operator.More),
        ("=", Operator.Equal),
    ];

    /// <summary>Reads a criterion: a text that begins with a sign of comparison, or a value.</summary>
    public static Criterion Of(string? text)
    {
        var (sign, @operator) = SignOf(text);
        return sign is null ? new Criterion(Operator.Equal, text ?? "") : new Criterion(@operator, text![sign.Length..]);
    }

    /// <summary>Whether a text says more than a value.</summary>
    public static bool HasSign(string text) => SignOf(text).Sign is not null;

    private static (string? Sign, Operator Operator) SignOf(string? text) =>
        Array.Find(Signs, known => text?.StartsWith(known.Sign, StringComparison.Ordinal) == true);

    /// <summary>Whether it holds for an element. A blank fits no value, and every one but a value.</summary>
    public bool Holds(object? element) =>
        element switch
        {
            null => Sign is Operator.NotEqual ? Than.Length > 0 : Sign is Operator.Equal && Than.Length == 0,
            string text => Compared(Texts.Compare(text, Than)),
            decimal number => Typed(TextFunctions.Value(Than), number),
            DateOnly date => Typed(DateFunctions.DateValue(Than), date),
            bool yes => Typed(
                Than.ToUpperInvariant() switch
                {
                    "TRUE" => true,
                    "FALSE" => false,
                    _ => (bool?)null,
                },
                yes
            ),
            DateTimeOffset instant => Typed(DateFunctions.DateTime(Than), instant),
            _ => false,
        };

    private bool Typed<T>(T? than, T element)
        where T : struct, IComparable<T> => than is { } value ? Compared(element.CompareTo(value)) : Sign is Operator.NotEqual;

    private bool Compared(int order) =>
        Sign switch
        {
            Operator.Less => order < 0,
            Operator.AtMost => order <= 0,
            Operator.More => order > 0,
            Operator.AtLeast => order >= 0,
            Operator.NotEqual => order != 0,
            _ => order == 0,
        };
}
