namespace Rostrum.Core.Imports;

/// <summary>Texts in files that spreadsheets open: what begins like a formula is not to run.</summary>
public static class SpreadsheetText
{
    /// <summary>A text with an apostrophe before it where a spreadsheet would take it for a formula.</summary>
    public static string Harmless(string text) => IsFormula(text) ? "'" + text : text;

    /// <summary>The text that <see cref="Harmless"/> was given.</summary>
    public static string AsItWas(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return text is ['\'', .. var rest] && IsFormula(rest) ? rest : text;
    }

    private static bool IsFormula(string text) => text is ['=' or '+' or '-' or '@' or '\t' or '\r', ..];
}
