using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>A dataset as the workspace's builders have it now.</summary>
public sealed class StoredDataset
{
    public Guid Id { get; init; }
    public Guid SourceId { get; set; }
    public required Dataset Definition { get; set; }

    /// <summary>Each save has the next.</summary>
    public int Revision { get; set; }
}
