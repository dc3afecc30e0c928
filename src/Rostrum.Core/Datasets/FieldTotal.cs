using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>What is computed over all values of a field.</summary>
public enum Total
{
    /// <summary>Their sum.</summary>
    Sum,

    /// <summary>Their mean.</summary>
    Average,

    /// <summary>The least of them.</summary>
    Least,

    /// <summary>The greatest of them.</summary>
    Most,
}

/// <summary>A total over a field's values; blanks do not count.</summary>
/// <param name="Field">A field with numbers.</param>
/// <param name="Total">What is computed.</param>
public readonly record struct FieldTotal(FieldName Field, Total Total)
{
    /// <summary>The totals, and what builders read.</summary>
    public static ImmutableArray<(Total Total, string Label)> Offered { get; } =
    [(Total.Sum, "sum"), (Total.Average, "average"), (Total.Least, "minimum"), (Total.Most, "maximum")];
}
