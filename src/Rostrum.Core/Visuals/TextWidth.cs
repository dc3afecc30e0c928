using System.Globalization;

namespace Rostrum.Core.Visuals;

/// <summary>About how wide a text is: for laying out labels where nothing can be measured.</summary>
public static class TextWidth
{
    /// <summary>The width in pixels in the interface's type at 12 px, a little more than it will be.</summary>
    public static double Of(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        var width = 0d;
        foreach (var rune in text.EnumerateRunes())
        {
            width += rune.Value switch
            {
                'i' or 'l' or 'j' or 'f' or 't' or 'I' or '.' or ',' or ':' or ';' or '\'' or '|' or '!' or '·' or ' ' or '(' or ')' => 3.9,
                'm' or 'w' or 'M' or 'W' or '%' or '@' or '—' or '…' => 10.6,
                >= 'A' and <= 'Z' => 8.2,
                < 0x2E80 => Rune(rune),
                _ => 12.5,
            };
        }

        return width;
    }

    /// <summary>A text cut to a width, with an ellipsis; the whole where it fits.</summary>
    public static string Cut(string text, double width)
    {
        ArgumentNullException.ThrowIfNull(text);
        if (Of(text) <= width)
        {
            return text;
        }

        var elements = new StringInfo(text);
        var count = elements.LengthInTextElements;
        while (count > 1 && Of(elements.SubstringByTextElements(0, count)) + 10.6 > width)
        {
            count--;
        }

        return elements.SubstringByTextElements(0, count).TrimEnd() + "…";
    }

    private static double Rune(System.Text.Rune rune) =>
        System.Text.Rune.GetUnicodeCategory(rune) is UnicodeCategory.NonSpacingMark or UnicodeCategory.Format ? 0 : 7.3;
}
