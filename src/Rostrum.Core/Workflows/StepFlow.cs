using System.Collections.Immutable;

namespace Rostrum.Core.Workflows;

/// <summary>Where a workflow goes on after a step that wants nothing done outside.</summary>
public abstract record StepFlow
{
    private StepFlow() { }

    /// <summary>It is done, and gives a value to later steps.</summary>
    public sealed record Gives(object? Value) : StepFlow;

    /// <summary>The steps in some of its lists are done next: side by side where there are several, none where there is none.</summary>
    public sealed record Enters(ImmutableArray<int> Blocks) : StepFlow;

    /// <summary>The steps in its list are done for each of these.</summary>
    public sealed record Repeats(IReadOnlyList<object?> Items) : StepFlow;

    /// <summary>It is asked once more at a moment.</summary>
    public sealed record Waits(DateTimeOffset Until) : StepFlow;

    /// <summary>The run ends here.</summary>
    /// <param name="How">How.</param>
    /// <param name="Message">What is said of it.</param>
    /// <param name="Field">The field at which that stands, in a guard.</param>
    /// <param name="Value">What it gives to whoever called it.</param>
    public sealed record Ends(RunEnding How, string? Message, string? Field, object? Value) : StepFlow;
}
