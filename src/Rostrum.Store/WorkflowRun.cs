using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Workflows;

namespace Rostrum.Store;

/// <summary>How far a run is.</summary>
public enum RunStatus
{
    /// <summary>It goes on as soon as a worker has time, or at its due moment.</summary>
    Ready,

    /// <summary>It waits for a decision, or for another run.</summary>
    Waiting,

    /// <summary>It is not known whether something outside was done: a person decides.</summary>
    Uncertain,

    /// <summary>It is done.</summary>
    Done,

    /// <summary>A step stopped it.</summary>
    Stopped,

    /// <summary>It failed.</summary>
    Failed,

    /// <summary>Somebody cancelled it.</summary>
    Cancelled,
}

/// <summary>One run of a workflow.</summary>
public sealed class WorkflowRun
{
    public long Id { get; init; }
    public required Guid WorkflowId { get; init; }

    /// <summary>The version; null where it tries a draft, whose steps are kept with it.</summary>
    public int? Version { get; init; }
    public Workflow? Tried { get; init; }

    /// <summary>Effects outside are only shown, where it tries a draft.</summary>
    public bool IsDry { get; init; }

    /// <summary>It halts before each step, where it tries a draft.</summary>
    public bool IsStepByStep { get; set; }

    /// <summary>Its next step is carried out outside all the same.</summary>
    public bool CarriesNextOut { get; set; }

    /// <summary>What set it off, in words.</summary>
    public required string SetOffBy { get; init; }

    /// <summary>What its trigger gives, in JSON.</summary>
    public required string Input { get; init; }

    /// <summary>How far its steps are.</summary>
    public required RunState State { get; set; }
    public RunStatus Status { get; set; }

    /// <summary>The moment at which it goes on; null where it waits for something else.</summary>
    public DateTimeOffset? Due { get; set; }

    /// <summary>Runs of one workflow with the same key go one after the other.</summary>
    public string? Key { get; init; }

    /// <summary>The record that it is about.</summary>
    public Guid? DatasetId { get; init; }
    public string? RecordKey { get; init; }
    public string? RecordTitle { get; init; }

    /// <summary>Who set it off; null where nobody did.</summary>
    public Guid? PersonId { get; init; }
    public required string PersonName { get; init; }

    /// <summary>The run that called it, and the path of the step that waits for it.</summary>
    public long? CallerId { get; init; }
    public string? CallerPath { get; init; }

    /// <summary>How many runs set each other off before it.</summary>
    public int Depth { get; init; }

    /// <summary>The number of the delivery that set it off: the same runs once.</summary>
    public string? Delivery { get; init; }

    /// <summary>Whoever set it off does not wait for it any more, and is told of its end.</summary>
    public bool TellsPerson { get; set; }

    /// <summary>What is said of its end.</summary>
    public string? Message { get; set; }
    public required DateTimeOffset At { get; init; }
    public DateTimeOffset? BegunAt { get; set; }
    public DateTimeOffset? EndedAt { get; set; }

    public bool IsOver => Status is RunStatus.Done or RunStatus.Stopped or RunStatus.Failed or RunStatus.Cancelled;
}

/// <summary>How far an entry of a run's log is.</summary>
public enum StepEntryStatus
{
    /// <summary>It is being done.</summary>
    Begun,

    /// <summary>It is done.</summary>
    Done,

    /// <summary>It failed.</summary>
    Failed,

    /// <summary>It failed, and is tried again.</summary>
    TriedInVain,

    /// <summary>It is not known whether it was done.</summary>
    Uncertain,
}

/// <summary>What a run did at one step: written before anything is done outside, and completed after it.</summary>
public sealed class WorkflowRunStep
{
    public long Id { get; init; }
    public required long RunId { get; init; }
    public required string Path { get; init; }
    public required string StepId { get; init; }
    public required string Label { get; init; }
    public StepEntryStatus Status { get; set; }

    /// <summary>What it wanted, for people; secrets are masked.</summary>
    public string Input { get; set; } = "";

    /// <summary>What came of it, likewise.</summary>
    public string Output { get; set; } = "";
    public string? Failure { get; set; }

    /// <summary>The database's name for the transaction in which it wrote, by which it can be asked what became of it.</summary>
    public string? Transaction { get; set; }

    /// <summary>The key of the record that it wrote.</summary>
    public string? Record { get; set; }
    public required DateTimeOffset BegunAt { get; init; }
    public DateTimeOffset? EndedAt { get; set; }
}

/// <summary>What a step's own steps are done for: it can be long, and never changes.</summary>
public sealed class WorkflowRunList
{
    public required long RunId { get; init; }
    public required string Path { get; init; }
    public required string Items { get; init; }
}

/// <summary>Somebody is asked to decide.</summary>
public sealed class SignOffRequest
{
    public Guid Id { get; init; }
    public required long RunId { get; init; }
    public required string Path { get; init; }
    public required string Question { get; init; }
    public required string Text { get; init; }
    public required string[] Answers { get; init; }
    public required string[] NeedsComment { get; init; }

    /// <summary>What whoever decides fills in besides.</summary>
    public ImmutableArray<PageParameter> Fields { get; init; } = [];

    /// <summary>What was filled in, in JSON; null where nothing was.</summary>
    public string? Values { get; set; }

    /// <summary>The people who may decide.</summary>
    public required Guid[] People { get; set; }

    /// <summary>Those who may as well once it is overdue.</summary>
    public required Guid[] EscalatesTo { get; init; }
    public DateTimeOffset? Due { get; init; }
    public DateTimeOffset? EscalatedAt { get; set; }
    public DateTimeOffset? RemindedAt { get; set; }

    /// <summary>The record that it is about.</summary>
    public Guid? DatasetId { get; init; }
    public string? RecordKey { get; init; }
    public string? RecordTitle { get; init; }
    public required DateTimeOffset AskedAt { get; init; }
    public DateTimeOffset? AnsweredAt { get; set; }
    public string? Answer { get; set; }
    public string? Comment { get; set; }
    public string? AnsweredBy { get; set; }

    /// <summary>It needs no answer any more: its run was cancelled.</summary>
    public bool IsWithdrawn { get; set; }
}

/// <summary>
/// Records that were saved, for the logbook and the workflows that hear of it. It is written just before the source's own transaction
/// ends: whether that came to its end, the source can be asked afterwards.
/// </summary>
public sealed class SavedRecords
{
    public long Id { get; init; }
    public required Guid DatasetId { get; init; }
    public required string Transaction { get; init; }

    /// <summary>What was saved, in JSON: of each record its key, title, kind, and values before and after.</summary>
    public required string Changes { get; init; }
    public Guid? PersonId { get; init; }
    public required string PersonName { get; init; }

    /// <summary>Through what they were saved: an app and its page, or a workflow.</summary>
    public string Via { get; init; } = "";

    /// <summary>
    /// The press of a key or the run in which they were saved: all that was saved in one has the same. Null where it is of neither.
    /// </summary>
    public string? Occasion { get; init; }

    /// <summary>How many runs set each other off before it.</summary>
    public int Depth { get; init; }
    public required DateTimeOffset At { get; init; }

    /// <summary>The transaction has ended: they are saved.</summary>
    public bool IsSaved { get; set; }
}
