using System.Collections.Frozen;
using System.Text;

namespace Rostrum.Core.Formulas.Functions;

/// <summary>Which letters UPPER and LOWER turn into which: for databases, which by themselves know others.</summary>
public static class Letters
{
    private static readonly Lazy<(string From, string To)> Rising = new(() => Pairs(text => text.ToUpperInvariant()));
    private static readonly Lazy<(string From, string To)> Falling = new(() => Pairs(text => text.ToLowerInvariant()));

    /// <summary>The letters past ASCII and in it that have a capital, and in the same order the capitals.</summary>
    public static (string From, string To) ToCapitals => Rising.Value;

    /// <summary>The letters that have a small form, and in the same order those.</summary>
    public static (string From, string To) ToSmall => Falling.Value;

    private static readonly Lazy<FrozenDictionary<Rune, Rune?>> Plains = new(() =>
        Enumerable
            .Range(1, 0x1FFFF)
            .Where(Rune.IsValid)
            .Select(code => new Rune(code))
            .Select(letter => (Letter: letter, Plain: PlainOf(letter)))
            .Where(pair => pair.Plain is not { } plain || plain != pair.Letter)
            .ToFrozenDictionary(pair => pair.Letter, pair => pair.Plain)
    );

    private static readonly Lazy<(string From, string To)> Plaining = new(() =>
    {
        var letters = Plains.Value.OrderBy(pair => pair.Value is null).ThenBy(pair => pair.Key.Value).ToArray();
        return (string.Concat(letters.Select(pair => pair.Key)), string.Concat(letters.Select(pair => pair.Value).OfType<Rune>()));
    });

    /// <summary>
    /// The letters with a capital or an accent, and in the same order the small ones without; the marks that make accents come last, and
    /// have none.
    /// </summary>
    public static (string From, string To) ToPlain => Plaining.Value;

    /// <summary>A text in small letters without accents.</summary>
    public static string Plain(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        var plain = new StringBuilder(text.Length);
        foreach (var letter in text.EnumerateRunes())
        {
            if (!Plains.Value.TryGetValue(letter, out var other))
            {
                plain.Append(letter);
            }
            else if (other is { } known)
            {
                plain.Append(known);
            }
        }

        return plain.ToString();
    }

    // Null for a mark alone. What comes apart into several letters stays as it is. Unicode takes a stroke for a part of its letter.
    private static Rune? PlainOf(Rune letter)
    {
        // Code points that are no characters, which cannot be taken apart.
        if ((letter.Value & 0xFFFE) == 0xFFFE || letter.Value is >= 0xFDD0 and <= 0xFDEF)
        {
            return letter;
        }

        var parts = letter
            .ToString()
            .Normalize(NormalizationForm.FormD)
            .EnumerateRunes()
            .Where(part => part.Value is < 0x300 or > 0x36F)
            .Select(Rune.ToLowerInvariant)
            .ToArray();
        return parts switch
        {
            [] => null,
            [{ Value: 'ø' }] => new Rune('o'),
            [{ Value: 'đ' }] => new Rune('d'),
            [{ Value: 'ł' }] => new Rune('l'),
            [var one] => one,
            _ => letter,
        };
    }

    private static (string From, string To) Pairs(Func<string, string> turn)
    {
        var (from, to) = (new StringBuilder(), new StringBuilder());
        foreach (var letter in Enumerable.Range(1, 0x1FFFF).Where(Rune.IsValid).Select(code => new Rune(code).ToString()))
        {
            if (turn(letter) is var turned && turned != letter)
            {
                from.Append(letter);
                to.Append(turned);
            }
        }

        return (from.ToString(), to.ToString());
    }
}
