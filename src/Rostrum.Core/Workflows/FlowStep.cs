using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;

namespace Rostrum.Core.Workflows;

/// <summary>A step where it stands in a workflow.</summary>
/// <param name="Id">Tells it from the others, and stays when it moves.</param>
/// <param name="Does">What it does.</param>
public sealed record FlowStep(string Id, Step Does)
{
    /// <summary>What builders want to remember of it.</summary>
    public string? Note { get; init; }

    /// <summary>It is passed over.</summary>
    public bool IsOff { get; init; }

    /// <summary>The steps within it, each list with its label; none where it holds none.</summary>
    public ImmutableArray<StepBlock> Blocks => Does is ControlStep control ? control.Blocks : [];

    /// <summary>It and all steps within it, each before those within.</summary>
    public IEnumerable<FlowStep> All => Blocks.SelectMany(block => block.Steps).SelectMany(step => step.All).Prepend(this);
}

/// <summary>Steps within a step, one after the other.</summary>
/// <param name="Label">What builders read above them.</param>
/// <param name="Steps">The steps.</param>
public sealed record StepBlock(string Label, ImmutableArray<FlowStep> Steps);

/// <summary>A step that decides which steps are done, or how often.</summary>
public abstract record ControlStep : Step
{
    /// <summary>The steps within it.</summary>
    public abstract ImmutableArray<StepBlock> Blocks { get; }

    /// <summary>The same with other steps within it.</summary>
    /// <param name="blocks">As many lists as <see cref="Blocks"/> has.</param>
    public abstract ControlStep With(ImmutableArray<StepBlock> blocks);
}
