using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Workflows;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>What there is to say of a run that begins.</summary>
/// <param name="SetOffBy">What set it off, in words.</param>
/// <param name="Input">What its trigger gives, in JSON.</param>
internal sealed record RunStart(string SetOffBy, string Input)
{
    public Guid? PersonId { get; init; }
    public string PersonName { get; init; } = "nobody";
    public int Depth { get; init; }
    public string? Key { get; init; }
    public Guid? DatasetId { get; init; }
    public string? RecordKey { get; init; }
    public string? RecordTitle { get; init; }
    public long? CallerId { get; init; }
    public string? CallerPath { get; init; }
    public string? Delivery { get; init; }
}

/// <summary>Begins runs: a worker goes on with them.</summary>
internal sealed class RunStarts(TimeProvider time)
{
    /// <summary>How many runs may set each other off, one after the other.</summary>
    public const int MostInARow = 8;

    public const string TooManyInARow = "Workflows set each other off eight times in a row: this one was not begun. Narrow their triggers.";

    /// <summary>A run of a live version.</summary>
    public WorkflowRun Run(WorkflowEntry workflow, RunStart start) => Run(workflow.Id, workflow.Version, null, isDry: false, start);

    /// <summary>A run that tries a draft.</summary>
    /// <param name="workflow">The workflow's identity.</param>
    /// <param name="draft">The draft.</param>
    /// <param name="isDry">What it would do outside is only shown.</param>
    /// <param name="start">What there is to say of it.</param>
    public WorkflowRun Try(Guid workflow, Workflow draft, bool isDry, RunStart start) => Run(workflow, null, draft, isDry, start);

    /// <summary>A run that cannot begin.</summary>
    public WorkflowRun Failed(WorkflowEntry workflow, RunStart start, string because)
    {
        var run = Run(workflow, start);
        run.State = RunState.Fresh with { End = new RunEnd(RunEnding.Failed, because) };
        (run.Status, run.Message, run.EndedAt, run.Due) = (RunStatus.Failed, because, run.At, null);
        return run;
    }

    private WorkflowRun Run(Guid workflow, int? version, Workflow? draft, bool isDry, RunStart start)
    {
        var now = time.GetUtcNow();
        var isTooDeep = start.Depth >= MostInARow;
        return new WorkflowRun
        {
            WorkflowId = workflow,
            Version = version,
            Tried = draft,
            IsDry = isDry,
            SetOffBy = start.SetOffBy,
            Input = start.Input,
            State = isTooDeep ? RunState.Fresh with { End = new RunEnd(RunEnding.Failed, TooManyInARow) } : RunState.Fresh,
            Status = isTooDeep ? RunStatus.Failed : RunStatus.Ready,
            Message = isTooDeep ? TooManyInARow : null,
            EndedAt = isTooDeep ? now : null,
            Due = isTooDeep ? null : now,
            Key = start.Key,
            DatasetId = start.DatasetId,
            RecordKey = start.RecordKey,
            RecordTitle = start.RecordTitle,
            PersonId = start.PersonId,
            PersonName = start.PersonName,
            CallerId = start.CallerId,
            CallerPath = start.CallerPath,
            Depth = start.Depth,
            Delivery = start.Delivery,
            At = now,
        };
    }

    /// <summary>Wakes the workers of all nodes.</summary>
    public static Task WakeAsync(RostrumStore store, CancellationToken cancellation) =>
        store.Database.ExecuteSqlRawAsync($"NOTIFY {WorkSignal.Channel}", cancellation);
}
