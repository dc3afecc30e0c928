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
