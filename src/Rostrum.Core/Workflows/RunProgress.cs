using Rostrum.Core.Workflows.Steps;

namespace Rostrum.Core.Workflows;

/// <summary>How far a run is, for whoever waits for it: of the outermost list that it goes through, or else of its steps.</summary>
/// <param name="Done">How many are done.</param>
/// <param name="All">How many there are.</param>
public sealed record RunProgress(int Done, int All)
{
    /// <summary>How far a run is.</summary>
    /// <param name="workflow">Its workflow.</param>
    /// <param name="state">What is known of its steps.</param>
    public static RunProgress Of(Workflow workflow, RunState state)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        ArgumentNullException.ThrowIfNull(state);
        var list = workflow
            .All.Where(step => step.Does is ForEach)
            .Select(step => state[step.Id])
            .FirstOrDefault(known => known is { Status: StepStatus.Inside, Count: > 1 });
        return list is not null
            ? new RunProgress(list.At, list.Count)
            : new RunProgress(
                workflow.Steps.Count(step => !step.IsOff && state[step.Id] is { Status: StepStatus.Done }),
                workflow.Steps.Count(step => !step.IsOff)
            );
    }
}
