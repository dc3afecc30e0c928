using Rostrum.Core.OwnTables;

namespace Rostrum.Store;

/// <summary>What a builder altered of an own table.</summary>
public sealed class StoredAlteration
{
    public required Guid Id { get; init; }

    /// <summary>The table.</summary>
    public required Guid DatasetId { get; init; }

    public required DateTimeOffset At { get; init; }
    public required string By { get; init; }

    /// <summary>What it was, in words.</summary>
    public required string Words { get; init; }

    /// <summary>What it takes to undo it; null where that is no longer kept.</summary>
    public TableAlteration? Undo { get; set; }

    /// <summary>The alteration that was undone by it; null where it undid none.</summary>
    public Guid? Undoes { get; init; }

    /// <summary>Who undid it; null where nobody did.</summary>
    public string? UndoneBy { get; set; }
}
