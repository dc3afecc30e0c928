using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>What one person has typed into one table and not yet saved.</summary>
public sealed class StoredUnsaved
{
    public Guid PersonId { get; set; }

    /// <summary>The app's address.</summary>
    public required string App { get; set; }

    /// <summary>The page's address.</summary>
    public required string Page { get; set; }

    /// <summary>The table's name.</summary>
    public required string Panel { get; set; }

    public required UnsavedChanges Changes { get; set; }

    /// <summary>When something was typed last.</summary>
    public DateTimeOffset At { get; set; }
}
