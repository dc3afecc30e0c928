using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>How far a count can be trusted.</summary>
public enum CountKind
{
    /// <summary>Counted.</summary>
    Exact,

    /// <summary>Estimated by the source.</summary>
    About,

    /// <summary>Counted up to here, and there are more.</summary>
    MoreThan,
}

/// <summary>How many records a request concerns.</summary>
public sealed record RecordCount(long Number, CountKind Kind)
{
    /// <summary>The number as people read it, with what is known of it.</summary>
    public string Said(CultureInfo culture) =>
        Kind switch
        {
            CountKind.About => $"about {Whole(Rounded(Number), culture)}",
            CountKind.MoreThan => $"more than {Whole(Number, culture)}",
            _ => Whole(Number, culture),
        };

    private static string Whole(long number, CultureInfo culture) => number.ToString("#,##0", culture);

    // An estimate with seven figures claims more than it knows.
    private static long Rounded(long number)
    {
        var unit = (long)Math.Pow(10, Math.Max(0, Math.Floor(Math.Log10(Math.Max(1, number))) - 2));
        return number / unit * unit;
    }
}
