using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>What came of a <see cref="ReadRequest"/>.</summary>
public abstract record ReadResult
{
    private ReadResult() { }

    /// <summary>Records in their order.</summary>
    /// <param name="Records">The records.</param>
    /// <param name="Count">How many there are in all, where that was asked.</param>
    /// <param name="HasEarlier">There are records before these.</param>
    /// <param name="HasLater">There are records after these.</param>
    /// <param name="First">The first record's place in the order, null where it has none.</param>
    /// <param name="Last">The last record's place.</param>
    public sealed record Rows(
        ImmutableArray<Record> Records,
        RecordCount? Count,
        bool HasEarlier,
        bool HasLater,
        PageCursor? First,
        PageCursor? Last
    ) : ReadResult
    {
        /// <summary>Who computed each formula of the request.</summary>
        public ImmutableArray<ComputedPart> Explanation { get; init; } = [];
    }

    /// <summary>A formula of the request is wrong, or asks for what cannot be had.</summary>
    public sealed record Invalid(string Problem) : ReadResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : ReadResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : ReadResult;
}
