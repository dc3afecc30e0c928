namespace Rostrum.Core.Apps;

/// <summary>A setting that is a value as it stands, or a formula after <c>=</c>.</summary>
public static class Computed
{
    /// <summary>Whether a text is a formula.</summary>
    public static bool IsFormula(string? text) => text is ['=', _, ..];
}
