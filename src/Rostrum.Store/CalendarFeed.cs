namespace Rostrum.Store;

/// <summary>
/// A secret address at which calendar programs read what a calendar panel shows, with the rights that its owner has at that moment. The
/// address holds a token, of which the store keeps a digest alone.
/// </summary>
public sealed class CalendarFeed
{
    public Guid Id { get; init; }

    /// <summary>With whose rights it is read.</summary>
    public required Guid PersonId { get; init; }

    /// <summary>The address of the app.</summary>
    public required string App { get; init; }

    /// <summary>The address of the page.</summary>
    public required string Page { get; init; }

    /// <summary>The name of the calendar panel.</summary>
    public required string Panel { get; init; }

    /// <summary>What the page's inputs said, and what was searched for: the query part of its address.</summary>
    public required string State { get; init; }

    /// <summary>SHA-256 of the token.</summary>
    public required byte[] Digest { get; init; }
    public required DateTimeOffset MadeAt { get; init; }

    /// <summary>When it was read last, to the hour; null where it never was.</summary>
    public DateTimeOffset? ReadAt { get; init; }
}
