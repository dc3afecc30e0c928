using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>A published version. It is never changed: the database refuses that.</summary>
public sealed class StoredVersion
{
    public Guid AppId { get; init; }
    public int Number { get; init; }
    public required string Note { get; init; }
    public required FrozenApp Frozen { get; init; }

    /// <summary>The draft's revision that was published.</summary>
    public int DraftRevision { get; init; }
    public required string PublishedBy { get; init; }
    public DateTimeOffset PublishedAt { get; init; }
}
