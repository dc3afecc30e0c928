using System.Collections.Frozen;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>Fields that people fill in together: a start and its end, a street and its town. Forms set them side by side.</summary>
public static class FieldPairs
{
    private static readonly FrozenSet<(string, string)> Words = new[]
    {
        ("actual", "planned"),
        ("arrival", "departure"),
        ("arrived", "left"),
        ("begin", "end"),
        ("begins", "ends"),
        ("currency", "amount"),
        ("departs", "arrives"),
        ("departure", "arrival"),
        ("email", "phone"),
        ("estimated", "actual"),
        ("first", "last"),
        ("from", "to"),
        ("from", "until"),
        ("given", "family"),
        ("latitude", "longitude"),
        ("length", "width"),
        ("low", "high"),
        ("max", "min"),
        ("maximum", "minimum"),
        ("min", "max"),
        ("minimum", "maximum"),
        ("opens", "closes"),
        ("origin", "destination"),
        ("planned", "actual"),
        ("postcode", "city"),
        ("postcode", "town"),
        ("start", "end"),
        ("started", "ended"),
        ("starts", "ends"),
        ("street", "city"),
        ("street", "town"),
        ("valid", "expires"),
        ("width", "height"),
    }.ToFrozenSet();

    /// <summary>Whether two fields that follow each other belong side by side: their labels differ in one word of a known pair.</summary>
    /// <param name="first">The label of the first.</param>
    /// <param name="second">The label of the one after it.</param>
    public static bool Belong(string first, string second)
    {
        ArgumentNullException.ThrowIfNull(first);
        ArgumentNullException.ThrowIfNull(second);
        var (one, other) = (first.ToLowerInvariant().Split(' '), second.ToLowerInvariant().Split(' '));
        var different = one.Zip(other).Where(pair => pair.First != pair.Second).ToArray();
        return one.Length == other.Length && different is [var (left, right)] && Words.Contains((left, right));
    }
}
