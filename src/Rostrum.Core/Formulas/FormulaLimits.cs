namespace Rostrum.Core.Formulas;

/// <summary>What formulas do not go beyond, in memory and in databases.</summary>
public static class FormulaLimits
{
    /// <summary>The most characters of a text that is put together; what would be longer is blank.</summary>
    public const long LongestText = 1_000_000;
}
