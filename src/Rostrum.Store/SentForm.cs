namespace Rostrum.Store;

/// <summary>A form for a new record that was sent, so that sending it twice adds one record.</summary>
/// <remarks>It is written just before the source's own transaction ends: whether that came to its end, the source can be asked
/// afterwards.</remarks>
public sealed class SentForm
{
    /// <summary>The form's own key.</summary>
    public Guid Key { get; init; }

    public Guid PersonId { get; init; }

    /// <summary>The source's name for the transaction in which the record was added.</summary>
    public required string Transaction { get; set; }

    /// <summary>The record that was added, by its key as text.</summary>
    public required string Record { get; set; }

    /// <summary>What names the record to people.</summary>
    public required string Title { get; set; }

    public DateTimeOffset At { get; init; }
}
