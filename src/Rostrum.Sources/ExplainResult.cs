using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources;

/// <summary>How a request is carried out.</summary>
public abstract record ExplainResult
{
    private ExplainResult() { }

    /// <summary>The way of it.</summary>
    /// <param name="Statement">What the server is asked; values stand beside it and are not in it.</param>
    /// <param name="ServerPlan">What the server does with it, in the server's words.</param>
    /// <param name="Explanation">Who computes each formula.</param>
    public sealed record Plan(string Statement, string ServerPlan, ImmutableArray<ComputedPart> Explanation) : ExplainResult;

    /// <summary>The request is wrong, the person may not, or the source could not.</summary>
    public sealed record Not(string Reason) : ExplainResult;
}

/// <summary>What a formula is used for in a request.</summary>
public enum FormulaUse
{
    /// <summary>Its value is shown.</summary>
    Show,

    /// <summary>It says which records there are.</summary>
    Narrow,

    /// <summary>Records stand in its order.</summary>
    Sort,

    /// <summary>Its text is searched.</summary>
    Search,

    /// <summary>Records are counted by its values.</summary>
    Group,
}

/// <summary>Who computed a formula of a request, or a part of one.</summary>
/// <param name="Formula">The formula.</param>
/// <param name="Use">What for.</param>
/// <param name="InMemory">Why memory did and not the database; null where the database did.</param>
public sealed record ComputedPart(string Formula, FormulaUse Use, string? InMemory);
