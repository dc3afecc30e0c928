namespace Rostrum.Store;

/// <summary>What becomes of a change of many records.</summary>
public enum BulkStatus
{
    /// <summary>Some parts of it are still to be made.</summary>
    Running,

    /// <summary>All that could be made is made.</summary>
    Done,

    /// <summary>Somebody stopped it. What was made by then stays, and can be taken back.</summary>
    Stopped,

    /// <summary>It could not go on.</summary>
    Failed,
}

/// <summary>A change, a deletion, or the undoing of such, of more records than are changed while somebody waits.</summary>
public sealed class BulkChange
{
    public long Id { get; init; }

    /// <summary>Names the press of the button with which it began: pressed twice, or sent again, it begins once.</summary>
    public Guid Request { get; init; } = Guid.NewGuid();
    public required Guid PersonId { get; init; }
    public required Guid DatasetId { get; init; }

    /// <summary>Through what it is made: an app and its page.</summary>
    public required string Via { get; init; }

    /// <summary>The app in whose live version it is made; null for a draft.</summary>
    public string? App { get; init; }
    public required BulkWork Work { get; init; }

    /// <summary>
    /// Of an import its plan; else the new values by field, in JSON: canonical text, a formula where it begins with <c>=</c>, null for a
    /// blank.
    /// </summary>
    public string Values { get; init; } = "{}";

    /// <summary>The one that it takes back.</summary>
    public long? Undoes { get; init; }
    public required int Records { get; init; }

    /// <summary>It is only tried: nothing is written.</summary>
    public bool IsTried { get; init; }

    /// <summary>How many were changed or added.</summary>
    public int Done { get; set; }

    /// <summary>How many of them were added.</summary>
    public int Added { get; set; }

    /// <summary>How many were to be changed and could not be.</summary>
    public int Refused { get; set; }
    public BulkStatus Status { get; set; }

    /// <summary>Somebody wants it to stop.</summary>
    public bool Stops { get; set; }

    /// <summary>Why it could not go on.</summary>
    public string? Problem { get; set; }
    public required DateTimeOffset At { get; init; }
    public DateTimeOffset? EndedAt { get; set; }
}

/// <summary>What is done with the records.</summary>
public enum BulkWork
{
    Change,
    Delete,
    Undo,

    /// <summary>The rows of a file become records.</summary>
    Import,
}

/// <summary>Some records of a bulk change, which are changed in one transaction.</summary>
public sealed class BulkPart
{
    public long Id { get; init; }
    public long BulkId { get; set; }
    public required int Number { get; init; }

    /// <summary>
    /// In JSON: of each record its key and a digest of the values that it had; of an import the rows, each with its number before its
    /// cells. None where something is taken back.
    /// </summary>
    public string Records { get; init; } = "[]";

    /// <summary>The changes that it takes back: the number under which the logbook has them.</summary>
    public long? Undoes { get; init; }

    /// <summary>What it saved: the number under which the logbook has it. Written down before its transaction ends.</summary>
    public long? Saved { get; set; }

    /// <summary>The source's name for that transaction.</summary>
    public string Transaction { get; set; } = "";
    public int Done { get; set; }
    public int Added { get; set; }

    /// <summary>The records that could not be changed, in JSON: of each its title and why.</summary>
    public string Refused { get; set; } = "[]";

    /// <summary>
    /// Of an import that is only tried: the titles of records that would be added first because rows refer to them, in JSON.
    /// </summary>
    public string Missing { get; set; } = "[]";

    /// <summary>It is over.</summary>
    public bool IsOver { get; set; }
}
