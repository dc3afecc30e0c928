namespace Rostrum.Store;

/// <summary>What somebody noted about a record.</summary>
public sealed class RecordNote
{
    /// <summary>So long may one be, in characters.</summary>
    public const int Longest = 10_000;

    /// <summary>So many files may belong to one.</summary>
    public const int MostFiles = 10;

    public long Id { get; init; }
    public required Guid DatasetId { get; init; }

    /// <summary>The record's key as text.</summary>
    public required string Key { get; init; }
    public required Guid PersonId { get; init; }
    public required string By { get; init; }

    /// <summary>Markdown.</summary>
    public required string Text { get; set; }

    /// <summary>The files that belong to it, as JSON.</summary>
    public required string Files { get; set; }

    /// <summary>Who is mentioned in it: their names, as they stand in the text.</summary>
    public required string[] Mentions { get; set; }

    /// <summary>The note that it answers; null where it answers none.</summary>
    public long? ReplyTo { get; init; }
    public required DateTimeOffset At { get; init; }
    public DateTimeOffset? EditedAt { get; set; }
    public DateTimeOffset? DeletedAt { get; set; }
}

/// <summary>A note as it was before it was edited.</summary>
public sealed class NoteVersion
{
    public long Id { get; init; }
    public required long NoteId { get; init; }
    public required string Text { get; init; }

    /// <summary>Until when it was so.</summary>
    public required DateTimeOffset Until { get; init; }
}
