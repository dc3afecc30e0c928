using System.Collections.Immutable;
using Rostrum.Core.Datasets;

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
public sealed record RecordCount(long Number, CountKind Kind);
