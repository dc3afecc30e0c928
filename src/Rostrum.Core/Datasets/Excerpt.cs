using System.Globalization;

namespace Rostrum.Core.Datasets;

/// <summary>The beginning of a text that is too long to be shown.</summary>
public static class Excerpt
{
    /// <summary>The most characters of a text in a line or a cell.</summary>
    public const int InLine = 300;

    /// <summary>The most characters of a text where it is shown by itself.</summary>
    public const int Whole = 20_000;

    /// <summary>A text as it is, or its beginning, an ellipsis and how long it is.</summary>
    /// <param name="text">The text.</param>
    /// <param name="most">The most characters (UTF-16 code units) of it; no code point is cut in two.</param>
    public static string Of(string text, int most)
    {
        ArgumentNullException.ThrowIfNull(text);
        if (text.Length <= most)
        {
            return text;
        }

        var end = char.IsHighSurrogate(text[most - 1]) ? most - 1 : most;
        return string.Create(CultureInfo.InvariantCulture, $"{text.AsSpan(0, end)}… ({text.Length:#,##0} characters)");
    }
}
