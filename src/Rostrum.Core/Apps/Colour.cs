using System.Globalization;

namespace Rostrum.Core.Apps;

/// <summary>A colour of the sRGB space, in eight bits a part.</summary>
public sealed record Colour(byte Red, byte Green, byte Blue)
{
    /// <summary>The least contrast of text of usual size (WCAG 2.2, 1.4.3).</summary>
    public const double LeastContrast = 4.5;

    /// <summary>The sheet on which things stand, by day.</summary>
    public static Colour LightSheet { get; } = new(0xff, 0xff, 0xff);

    /// <summary>The paper around it, by day.</summary>
    public static Colour LightPaper { get; } = new(0xfa, 0xf8, 0xf3);

    /// <summary>The sheet on which things stand, in the dark.</summary>
    public static Colour DarkSheet { get; } = new(0x1b, 0x22, 0x26);

    /// <summary>How bright it is, from 0 to 1 (WCAG 2.2, relative luminance).</summary>
    public double Luminance => (0.2126 * Linear(Red)) + (0.7152 * Linear(Green)) + (0.0722 * Linear(Blue));

    /// <summary>Reads <c>#1b5e50</c>; null where a text is none such.</summary>
    public static Colour? Parse(string? text) =>
        text is ['#', .. { Length: 6 } digits]
        && uint.TryParse(digits, NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var value)
            ? new Colour((byte)(value >> 16), (byte)(value >> 8), (byte)value)
            : null;

    /// <summary>The contrast of two colours, from 1 to 21 (WCAG 2.2, contrast ratio).</summary>
    public double ContrastTo(Colour other)
    {
        var (one, two) = (Luminance, other.Luminance);
        return (Math.Max(one, two) + 0.05) / (Math.Min(one, two) + 0.05);
    }

    /// <summary>The colour mixed with another.</summary>
    /// <param name="other">The other.</param>
    /// <param name="share">How much of the other, from 0 to 1.</param>
    public Colour Mixed(Colour other, double share)
    {
        byte Part(byte own, byte others) => (byte)Math.Clamp(Math.Round(own + ((others - own) * share)), 0, 255);
        return new Colour(Part(Red, other.Red), Part(Green, other.Green), Part(Blue, other.Blue));
    }

    /// <summary>The nearest mixture with another that has enough contrast to a ground; the other itself where none has.</summary>
    public Colour Towards(Colour other, Colour ground)
    {
        for (var step = 0; step < 100; step++)
        {
            if (Mixed(other, step / 100.0) is var mixed && mixed.ContrastTo(ground) >= LeastContrast)
            {
                return mixed;
            }
        }

        return other;
    }

    /// <summary>As <see cref="Parse"/> reads it.</summary>
    public override string ToString() => $"#{Red:x2}{Green:x2}{Blue:x2}";

    private static double Linear(byte part)
    {
        var share = part / 255.0;
        return share <= 0.04045 ? share / 12.92 : Math.Pow((share + 0.055) / 1.055, 2.4);
    }
}
