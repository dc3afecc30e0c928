using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>An edit of an app's draft, in the order in which they were made.</summary>
public sealed class StoredEdit
{
    public Guid AppId { get; init; }

    /// <summary>The draft's revision that came of it.</summary>
    public int Revision { get; init; }
    public Guid PersonId { get; init; }
    public required string PersonName { get; init; }
    public DateTimeOffset At { get; init; }

    /// <summary>What it did; null once it is too old to be taken back: then its words alone are kept.</summary>
    public required AppEdit? Edit { get; init; }

    /// <summary>What takes it back; null once it is too old for that.</summary>
    public required AppEdit? Inverse { get; init; }

    /// <summary>What it did, in words.</summary>
    public required string Said { get; init; }

    /// <summary>It was taken back.</summary>
    public bool Undone { get; set; }

    /// <summary>It takes another back, or does that again: it is not itself taken back.</summary>
    public bool IsUndo { get; init; }
}
