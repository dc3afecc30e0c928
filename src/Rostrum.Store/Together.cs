namespace Rostrum.Store;

/// <summary>When somebody is told by mail of what they watch.</summary>
public enum WatchMail
{
    /// <summary>Once a day, of what they have not read.</summary>
    Daily,

    /// <summary>At once.</summary>
    AtOnce,

    /// <summary>Never: it stands in the inbox.</summary>
    Never,
}

/// <summary>Somebody is told of what happens to a record, or to the records of a list.</summary>
public sealed class Watch
{
    public Guid Id { get; init; }
    public required Guid PersonId { get; init; }
    public required Guid DatasetId { get; init; }

    /// <summary>The record's key; null where a list is watched.</summary>
    public string? Key { get; init; }

    /// <summary>The app, the page and the panel of the list, and how it was narrowed; null where a record is watched.</summary>
    public string? App { get; init; }
    public string? Page { get; init; }
    public string? Panel { get; init; }
    public string? State { get; init; }

    /// <summary>What people read: the record's title, or the list's.</summary>
    public required string Label { get; init; }

    /// <summary>Where it is seen.</summary>
    public required string Address { get; init; }
    public required DateTimeOffset At { get; init; }
}

/// <summary>A record was saved that somebody may watch. It goes when everybody has been told.</summary>
public sealed class RecordEvent
{
    public long Id { get; init; }
    public required Guid DatasetId { get; init; }

    /// <summary>The record's key as text; blank where it has none.</summary>
    public required string Key { get; init; }
    public required string Title { get; init; }

    /// <summary>Added, changed or deleted.</summary>
    public required string Kind { get; init; }

    /// <summary>The fields that were changed, a line each: the name, a tab, the value before, a tab, the value after.</summary>
    public required string Changes { get; init; }
    public Guid? ById { get; init; }
    public required string ByName { get; init; }

    /// <summary>Something was noted: it is told to those alone who may read notes.</summary>
    public bool IsNote { get; init; }

    /// <summary>Who has been told already.</summary>
    public Guid[] Told { get; init; } = [];
    public required DateTimeOffset At { get; init; }
}

/// <summary>Something that somebody is told.</summary>
public sealed class InboxItem
{
    public long Id { get; init; }
    public required Guid PersonId { get; init; }
    public required Guid WatchId { get; init; }
    public required Guid DatasetId { get; init; }
    public required string Key { get; init; }
    public required string Title { get; init; }
    public required string Text { get; init; }
    public required string By { get; init; }
    public required string Address { get; init; }
    public required DateTimeOffset At { get; init; }
    public DateTimeOffset? ReadAt { get; set; }
    public DateTimeOffset? MailedAt { get; set; }
}
