using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources;

/// <summary>Records in groups of those with the same values, and what is computed over each group.</summary>
/// <param name="Dataset">The dataset.</param>
/// <param name="By">The fields or computed columns whose values make a group; none for one group of all.</param>
/// <param name="Measures">What is computed over each group; how many records it has where null.</param>
/// <param name="Filter">Which records.</param>
public sealed record SummaryRequest(DatasetId Dataset, ImmutableArray<FieldName> By, ImmutableArray<FieldTotal?> Measures, Filter Filter)
{
    /// <summary>Words that they contain.</summary>
    public string Search { get; init; } = "";

    /// <summary>What computed columns give; groups and totals can be by one of them.</summary>
    public ImmutableArray<ComputedColumn> Computed { get; init; } = [];

    /// <summary>The names that its formulas have beside their record's.</summary>
    public RequestNames? Names { get; init; }

    /// <summary>The moment that formulas take for now; the gate's own where null.</summary>
    public DateTimeOffset? Now { get; init; }

    /// <summary>The most groups that are given: those with the most records.</summary>
    public int Limit { get; init; } = 5_000;
}

/// <summary>One group.</summary>
/// <param name="Values">Its values, in the order of <see cref="SummaryRequest.By"/>.</param>
/// <param name="Titles">For a value that refers to a record, that record's title.</param>
/// <param name="Numbers">What was computed, in the order of the measures; null where a field has no values there.</param>
public sealed record SummaryGroup(ImmutableArray<object?> Values, ImmutableArray<string?> Titles, ImmutableArray<decimal?> Numbers);

/// <summary>What came of a <see cref="SummaryRequest"/>.</summary>
public abstract record SummaryResult
{
    private SummaryResult() { }

    /// <summary>The groups, those with the most records first.</summary>
    /// <param name="Found">The groups.</param>
    /// <param name="IsCut">There are more than the request allows.</param>
    public sealed record Groups(ImmutableArray<SummaryGroup> Found, bool IsCut) : SummaryResult;

    /// <summary>A formula of the request is wrong, or asks for what cannot be had.</summary>
    public sealed record Invalid(string Problem) : SummaryResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : SummaryResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : SummaryResult;
}
