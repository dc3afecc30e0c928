using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>A database that the company has. Its password is kept encrypted.</summary>
public sealed class StoredSource
{
    public Guid Id { get; init; }
    public required string Name { get; set; }

    /// <summary>The kind of source.</summary>
    public string Kind { get; set; } = "postgres";
    public required string Host { get; set; }
    public int Port { get; set; }
    public required string Database { get; set; }
    public required string UserName { get; set; }
    public required string ProtectedPassword { get; set; }
    public bool Encrypted { get; set; }

    /// <summary>What its kind has settings for beside those, as a JSON object.</summary>
    public string Options { get; set; } = "{}";

    /// <summary>The requests of an API, as a JSON list.</summary>
    public string Requests { get; set; } = "[]";

    /// <summary>Where it is, for builders.</summary>
    public string Place() =>
        Host.Length > 0 ? $"{UserName}@{Host}:{Port}/{Database}"
        : Database.Length > 0 ? Database
        : System.Text.Json.JsonDocument.Parse(Options).RootElement.TryGetProperty("Address", out var address) ? address.GetString() ?? ""
        : "";

    public required SourceStructure Structure { get; set; }
    public DateTimeOffset ReadAt { get; set; }

    /// <summary>When it failed last, and what was said of it; null where it never did.</summary>
    public DateTimeOffset? FailedAt { get; set; }

    public string? Failure { get; set; }
}
