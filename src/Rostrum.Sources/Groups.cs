using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>The different values of a field or a computed column, each with how many records have it, the most frequent first.</summary>
/// <param name="Dataset">The dataset.</param>
/// <param name="Field">The field.</param>
/// <param name="Filter">Which records are counted.</param>
/// <param name="Search">Words that they contain.</param>
/// <param name="Limit">The most values that are given.</param>
public sealed record GroupRequest(DatasetId Dataset, FieldName Field, Filter Filter, string Search, int Limit)
{
    /// <summary>What computed columns give; the field may be one of them.</summary>
    public ImmutableArray<ComputedColumn> Computed { get; init; } = [];

    /// <summary>The names that its formulas have beside their record's.</summary>
    public RequestNames? Names { get; init; }
}

/// <summary>One value and its frequency. The title is the related record's, where the field carries a relation.</summary>
public sealed record ValueCount(object? Value, string? Title, long Count);

/// <summary>What came of a <see cref="GroupRequest"/>.</summary>
public abstract record GroupResult
{
    private GroupResult() { }

    /// <summary>The values.</summary>
    public sealed record Groups(ImmutableArray<ValueCount> Values) : GroupResult;

    /// <summary>A formula of the request is wrong, or asks for what cannot be had.</summary>
    public sealed record Invalid(string Problem) : GroupResult;

    /// <summary>The person may not.</summary>
    public sealed record Denied(string Reason) : GroupResult;

    /// <summary>The source could not.</summary>
    public sealed record Failed(SourceFailure Failure) : GroupResult;
}
