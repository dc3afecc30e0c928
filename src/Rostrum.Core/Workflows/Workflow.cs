using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Workflows;

/// <summary>What happens by itself, or on demand: a trigger, and steps.</summary>
/// <param name="Label">What people read.</param>
/// <param name="Trigger">What sets it off.</param>
/// <param name="Steps">What it does, one after the other.</param>
public sealed record Workflow(string Label, Trigger Trigger, ImmutableArray<FlowStep> Steps)
{
    /// <summary>How long runs are kept where nothing else is said, in days.</summary>
    public const int UsuallyKept = 90;

    /// <summary>What it is for.</summary>
    public string? Description { get; init; }

    /// <summary>The role with whose rights it runs; those of whoever set it off where null.</summary>
    public string? RunsAs { get; init; }

    /// <summary>A formula over <c>trigger</c>: runs for which it gives the same wait for one another. None wait where null.</summary>
    public string? OneAtATime { get; init; }

    /// <summary>The addresses of people who are told when a run fails, joined by commas.</summary>
    public string? TellOfFailure { get; init; }

    /// <summary>How long runs are kept, in days.</summary>
    public int KeptDays { get; init; } = UsuallyKept;

    /// <summary>Its steps and all within them, each before those within.</summary>
    public IEnumerable<FlowStep> All => Steps.SelectMany(step => step.All);

    /// <summary>A step by its identity; null where there is none.</summary>
    public FlowStep? Find(string id) => All.FirstOrDefault(step => step.Id == id);

    /// <summary>The datasets that its trigger and its steps name.</summary>
    public IEnumerable<DatasetId> Datasets =>
        All.SelectMany(step => step.Does.Kind.Settings.SelectMany(setting => setting.Kind.Datasets(setting.Get(step.Does))))
            .Concat(Trigger.Of is { } of ? [of] : [])
            .Distinct();

    /// <summary>The same with other steps in the place of all of them, within others as well.</summary>
    public Workflow Each(Func<FlowStep, FlowStep> change)
    {
        ArgumentNullException.ThrowIfNull(change);
        return this with { Steps = Each(Steps, change) };
    }

    private static ImmutableArray<FlowStep> Each(ImmutableArray<FlowStep> steps, Func<FlowStep, FlowStep> change) =>
        [
            .. steps.Select(step =>
            {
                var changed = change(step);
                return changed.Does is ControlStep control
                    ? changed with
                    {
                        Does = control.With([.. control.Blocks.Select(block => block with { Steps = Each(block.Steps, change) })]),
                    }
                    : changed;
            }),
        ];
}
