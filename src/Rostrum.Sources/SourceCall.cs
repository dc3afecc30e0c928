using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>What a source was asked on the way to an answer: for builders, who wonder what a panel costs.</summary>
/// <param name="Source">The source.</param>
/// <param name="Text">The statement, or the method and address of a request; secrets masked.</param>
/// <param name="Values">The values that were sent beside the statement, in their order.</param>
/// <param name="Took">How long it took until all of the answer was there.</param>
/// <param name="Rows">How many rows came back.</param>
public sealed record SourceCall(SourceId Source, string Text, ImmutableArray<string> Values, TimeSpan Took, int Rows)
{
    /// <summary>What memory did with the answer, and why; null where it did nothing.</summary>
    public string? Note { get; init; }

    /// <summary>The statement that makes an index with which it would be quicker; null where none is known.</summary>
    public string? Index { get; init; }
}
