using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>What takes back a change that somebody made.</summary>
public sealed class UndoEntry
{
    public Guid Id { get; init; }
    public Guid PersonId { get; init; }
    public Guid DatasetId { get; init; }
    public required string Inverse { get; init; }
    public required string Said { get; init; }
    public DateTimeOffset At { get; init; }
    public DateTimeOffset? UsedAt { get; set; }
}
