using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>The run for which the present work is done: what it saves is saved in the name of who set it off.</summary>
/// <param name="PersonId">Who set it off; null where nobody did.</param>
/// <param name="PersonName">In whose name it saves.</param>
/// <param name="Depth">How many runs set each other off up to it.</param>
internal sealed record RunAmbient(Guid? PersonId, string PersonName, int Depth)
{
    /// <summary>What people call the workflow; null where none runs.</summary>
    public string? Workflow { get; init; }

    /// <summary>The run's number; null where it has none.</summary>
    public long? Id { get; init; }

    /// <summary>Through what it saves, where that is no workflow.</summary>
    public string? Via { get; init; }

    /// <summary>
    /// Is told of what is about to be saved, within the transaction that writes that down: the number under which it stands, the source's
    /// name for its transaction, and how many records it is.
    /// </summary>
    public Func<RostrumStore, SavedRecords, int, Task>? Writing { get; init; }

    private static readonly AsyncLocal<RunAmbient?> Here = new();

    /// <summary>The run; null where nothing is done for one.</summary>
    public static RunAmbient? Current => Here.Value;

    /// <summary>From here on, until what is given is disposed of, work is done for a run.</summary>
    public static IDisposable Begin(RunAmbient run)
    {
        var before = Here.Value;
        Here.Value = run;
        return new End(before);
    }

    private sealed class End(RunAmbient? before) : IDisposable
    {
        public void Dispose() => Here.Value = before;
    }
}
