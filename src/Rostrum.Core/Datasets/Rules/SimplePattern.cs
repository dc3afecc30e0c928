using System.Collections.Immutable;
using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>
/// A regular expression that says the same in every dialect: letters, digits and signs, classes of them, each so many times. Of such a
/// one an example can be given, which people understand sooner than the pattern.
/// </summary>
public sealed partial class SimplePattern
{
    private const string Letters = "ABCDEFGHJKLMNPQRSTUVWXYZ";
    private const string Digits = "1234567890";
    private readonly ImmutableArray<Match> _parts;

    private SimplePattern(ImmutableArray<Match> parts) => _parts = parts;

    [GeneratedRegex(
        @"\G((?<set>\[[\w\- ./_]+\])|\\(?<class>[dw])|\\(?<sign>[^\w\s])|(?<sign>[\w\- /:,@#&%=_]))"
            + @"(?<times>[+*?]|\{(?<least>\d{1,3})(,\d{0,3})?\})?",
        RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex Part { get; }

    /// <summary>The pattern; null where it is not so simple, or leaves its beginning or end open.</summary>
    public static SimplePattern? Read(string pattern)
    {
        ArgumentNullException.ThrowIfNull(pattern);
        if (pattern is not ['^', .. var inner, '$'])
        {
            return null;
        }

        var parts = Part.Matches(inner).ToImmutableArray();
        return parts.Length > 0 && parts.Sum(part => part.Length) == inner.Length ? new SimplePattern(parts) : null;
    }

    /// <summary>A text that fits: <c>^[A-Z]{2}-\d+$</c> gives <c>AB-1</c>.</summary>
    public string Example()
    {
        var text = new StringBuilder();
        var (letters, digits) = (0, 0);
        foreach (var part in _parts)
        {
            for (var i = Times(part); i > 0; i--)
            {
                text.Append(One(part, ref letters, ref digits));
            }
        }

        return text.ToString();
    }

    private static int Times(Match part) =>
        part.Groups["least"] is { Success: true, Value: var least } ? int.Parse(least, NumberStyles.None, CultureInfo.InvariantCulture)
        : part.Groups["times"].Value is "*" or "?" ? 0
        : 1;

    private static char One(Match part, ref int letters, ref int digits)
    {
        if (part.Groups["sign"] is { Success: true, Value: [var sign] })
        {
            return sign;
        }

        var set = part.Groups["set"].Value;
        if (part.Groups["class"].Value == "d" || set.Contains("0-9", StringComparison.Ordinal) && !set.Contains('A') && !set.Contains('a'))
        {
            return Digits[digits++ % Digits.Length];
        }

        if (part.Groups["class"].Value == "w" || set.Contains("A-Z", StringComparison.Ordinal))
        {
            return Letters[letters++ % Letters.Length];
        }

        return set.Contains("a-z", StringComparison.Ordinal) ? char.ToLowerInvariant(Letters[letters++ % Letters.Length]) : set[1];
    }
}
