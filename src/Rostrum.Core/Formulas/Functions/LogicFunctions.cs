namespace Rostrum.Core.Formulas.Functions;

/// <summary>
/// Questions about values of any type. IF and its kin, which do not look at all their arguments, are forms of the language.
/// </summary>
internal static class LogicFunctions
{
    [Function("Whether the condition does not hold; a blank one does not.", Examples = ["NOT(FALSE) → TRUE", "NOT(BLANK) → TRUE"])]
    public static bool Not(bool? condition) => condition != true;

    [Function("Whether an odd number of the conditions hold.", Examples = ["XOR(TRUE, FALSE, BLANK) → TRUE", "XOR(TRUE, TRUE) → FALSE"])]
    public static bool Xor(params bool?[] conditions) => conditions.Count(condition => condition == true) % 2 == 1;

    [Function("Whether there is no value, or of a list no element.", Examples = ["ISBLANK(BLANK) → TRUE", "ISBLANK(\"\") → FALSE"])]
    [Sql("({0} IS NULL)")]
    public static bool IsBlank(object? value) => value is null or IReadOnlyList<object?> { Count: 0 };

    [Function("Whether there is no value, an empty text or an empty list.", Examples = ["ISEMPTY(\"\") → TRUE", "ISEMPTY(0) → FALSE"])]
    public static bool IsEmpty(object? value) => value is null or "" or IReadOnlyList<object?> { Count: 0 };

    [Function("Whether the value is a number.", Examples = ["ISNUMBER(1 / 0) → FALSE", "ISNUMBER(0) → TRUE"])]
    public static bool IsNumber(object? value) => value is decimal;

    [Function("Whether the value is a text.", Examples = ["ISTEXT(\"\") → TRUE", "ISTEXT(1) → FALSE"])]
    public static bool IsText(object? value) => value is string;
}
