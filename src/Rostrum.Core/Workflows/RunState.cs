using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Rostrum.Core.Workflows;

/// <summary>How far a step of a run is.</summary>
public enum StepStatus
{
    /// <summary>What it wants done outside is being done: it is not known yet what came of it.</summary>
    Begun,

    /// <summary>It waits for a moment, or for a decision.</summary>
    Waiting,

    /// <summary>The steps within it are being done.</summary>
    Inside,

    /// <summary>It is done.</summary>
    Done,

    /// <summary>It failed.</summary>
    Failed,
}

/// <summary>What a run knows of one of its steps.</summary>
/// <param name="Status">How far it is.</param>
public sealed record StepState(StepStatus Status)
{
    /// <summary>When it was begun.</summary>
    public DateTimeOffset? Begun { get; init; }

    /// <summary>The moment for which it waits; null where it waits for something else.</summary>
    public DateTimeOffset? Until { get; init; }

    /// <summary>What it gives to later steps.</summary>
    public JsonElement? Result { get; init; }

    /// <summary>Which lists of steps within it are done.</summary>
    public ImmutableArray<int> Entered { get; init; } = [];

    /// <summary>What its steps are done for. It can be long and never changes, so that it is kept apart.</summary>
    [JsonIgnore]
    public JsonElement? Items { get; init; }

    /// <summary>How many those are.</summary>
    public int Count { get; init; }

    /// <summary>For how many of them, from the first, it is done.</summary>
    public int At { get; init; }

    /// <summary>For how many of those its steps failed.</summary>
    public int Failures { get; init; }

    /// <summary>Why it failed, for people.</summary>
    public string? Failure { get; init; }

    /// <summary>How often it was tried in vain.</summary>
    public int Tries { get; init; }
}

/// <summary>How a run ended.</summary>
public enum RunEnding
{
    /// <summary>Everything was done, or a step said that nothing is left to do.</summary>
    Done,

    /// <summary>A step stopped it, with a message.</summary>
    Stopped,

    /// <summary>A step failed.</summary>
    Failed,

    /// <summary>Somebody cancelled it.</summary>
    Cancelled,
}

/// <summary>The end of a run.</summary>
/// <param name="How">How it ended.</param>
/// <param name="Message">What is said of it; null where nothing is.</param>
public sealed record RunEnd(RunEnding How, string? Message = null)
{
    /// <summary>The field at which a message of a guard stands; null where it is about the whole record.</summary>
    public string? Field { get; init; }

    /// <summary>What it gives to whoever called it.</summary>
    public JsonElement? Result { get; init; }
}

/// <summary>
/// How far a run is: its steps by their paths. A path is a step's identity; within a step that is done several times the one of that step
/// and the number of the time stand before it: <c>s3[0]/s5</c>.
/// </summary>
/// <param name="Steps">What is known of the steps that were begun.</param>
public sealed record RunState(ImmutableSortedDictionary<string, StepState> Steps)
{
    /// <summary>Nothing is done yet.</summary>
    public static RunState Fresh { get; } = new(ImmutableSortedDictionary.Create<string, StepState>(StringComparer.Ordinal));

    /// <summary>How it ended; null while it goes on.</summary>
    public RunEnd? End { get; init; }

    /// <summary>The identity of the step that stands at a path.</summary>
    public static string StepAt(string path)
    {
        ArgumentNullException.ThrowIfNull(path);
        return path[(path.LastIndexOf('/') + 1)..];
    }

    /// <summary>What is known of a step; null where it was not begun.</summary>
    public StepState? this[string path] => Steps.GetValueOrDefault(path);

    /// <summary>The same with something else known of a step.</summary>
    public RunState With(string path, StepState step) => this with { Steps = Steps.SetItem(path, step) };

    /// <summary>Whether a step was begun whose path begins so.</summary>
    internal bool HasBegun(string prefix) => Steps.Keys.Any(path => path.StartsWith(prefix, StringComparison.Ordinal));

    /// <summary>The same without what is known of steps whose paths begin so.</summary>
    internal RunState Without(string prefix) =>
        this with
        {
            Steps = Steps.RemoveRange(Steps.Keys.Where(path => path.StartsWith(prefix, StringComparison.Ordinal)).ToArray()),
        };
}
