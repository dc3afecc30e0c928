using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>Totals over the same records.</summary>
/// <param name="Dataset">The dataset.</param>
/// <param name="Totals">What is told.</param>
/// <param name="Filter">Over which records.</param>
/// <param name="Search">Words that they contain.</param>
public sealed record TotalRequest(DatasetId Dataset, ImmutableArray<FieldTotal> Totals, Filter Filter, string Search = "")
{
    /// <summary>The names that its formulas have beside their record's.</summary>
    public RequestNames? Names { get; init; }

    /// <summary>Values that formulas give, over which there can be totals as well.</summary>
    public ImmutableArray<ComputedColumn> Computed { get; init; } = [];

    /// <summary>The moment that formulas take for now; the gate's own where null.</summary>
    public DateTimeOffset? Now { get; init; }
}

/// <summary>What came of a <see cref="TotalRequest"/>.</summary>
public abstract record TotalResult
{
    private TotalResult() { }

    /// <summary>The totals, in the order asked for; null where there are no values.</summary>
    public sealed record Values(ImmutableArray<decimal?> Numbers) : TotalResult;

    /// <summary>A formula of the request is wrong, or asks for what cannot be had.</summary>
    public sealed record Invalid(string Problem) : TotalResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : TotalResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : TotalResult;
}
