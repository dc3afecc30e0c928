using Rostrum.Core.Workflows;

namespace Rostrum.Store;

/// <summary>A workflow: its draft, and which version is live.</summary>
public sealed class StoredWorkflow
{
    public Guid Id { get; init; }

    /// <summary>Its name in addresses and in other workflows.</summary>
    public required string Name { get; set; }
    public required Workflow Draft { get; set; }

    /// <summary>The draft's revision: each edit has the next.</summary>
    public int Revision { get; set; }
    public int? LiveVersion { get; set; }

    /// <summary>Its trigger is heard.</summary>
    public bool IsOn { get; set; }

    /// <summary>The moment up to which its schedule was kept.</summary>
    public DateTimeOffset? ScheduledUpTo { get; set; }
}

/// <summary>A published version of a workflow. Runs go on with the version with which they began.</summary>
public sealed class StoredWorkflowVersion
{
    public Guid WorkflowId { get; init; }
    public int Number { get; init; }
    public required string Note { get; init; }
    public required Workflow Definition { get; init; }
    public required string PublishedBy { get; init; }
    public DateTimeOffset PublishedAt { get; init; }
}

/// <summary>An edit of a draft, which can be undone.</summary>
public sealed class StoredWorkflowEdit
{
    public long Id { get; init; }
    public Guid WorkflowId { get; init; }
    public required string Said { get; init; }
    public required string PersonName { get; init; }
    public required Workflow Before { get; init; }
    public required Workflow After { get; init; }
    public DateTimeOffset At { get; init; }
    public bool IsUndone { get; set; }
}
