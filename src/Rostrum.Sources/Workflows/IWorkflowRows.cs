using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Workflows;

/// <summary>Lets workflows give rows: those that read and compute, and finish with a list.</summary>
public interface IWorkflowRows
{
    /// <summary>The tables that live workflows are, each under its workflow's name.</summary>
    ValueTask<ImmutableArray<TableStructure>> TablesAsync(CancellationToken cancellation);

    /// <summary>The rows that a workflow gives.</summary>
    /// <param name="workflow">Its name.</param>
    /// <param name="inputs">What it is given, by the names of its inputs.</param>
    /// <param name="isFresh">Rows that were kept will not do.</param>
    /// <param name="cancellation">Ends the wait.</param>
    ValueTask<WorkflowRows> RowsAsync(
        string workflow,
        ImmutableDictionary<string, object?> inputs,
        bool isFresh,
        CancellationToken cancellation
    );
}

/// <summary>What came of asking a workflow for rows.</summary>
/// <param name="Rows">The rows, each with its values by the names of columns; none where it failed.</param>
/// <param name="Problem">Why there are none, for people; null where there are.</param>
/// <param name="WasKept">They were kept from an earlier time.</param>
public sealed record WorkflowRows(ImmutableArray<IReadOnlyDictionary<string, object?>> Rows, string? Problem = null, bool WasKept = false);
