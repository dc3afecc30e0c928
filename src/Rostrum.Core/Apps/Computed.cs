using System.Collections.Immutable;
using System.Globalization;

namespace Rostrum.Core.Apps;

/// <summary>A setting that is a value as it stands, or a formula after <c>=</c>.</summary>
public static class Computed
{
    /// <summary>Whether a text is a formula.</summary>
    public static bool IsFormula(string? text) => text is ['=', _, ..];

    /// <summary>Texts by their names, with the values of those that are formulas in their place.</summary>
    public static ImmutableDictionary<string, object?> Values(
        IReadOnlyDictionary<string, string> texts,
        Func<string, object?> value,
        StringComparer? names = null
    )
    {
        ArgumentNullException.ThrowIfNull(texts);
        ArgumentNullException.ThrowIfNull(value);
        return texts.ToImmutableDictionary(pair => pair.Key, pair => IsFormula(pair.Value) ? value(pair.Value[1..]) : pair.Value, names);
    }

    /// <summary>A number as a setting has it; null where the text is none.</summary>
    public static decimal? Number(string? text) =>
        decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) ? number : null;
}
