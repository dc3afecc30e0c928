namespace Rostrum.Store;

/// <summary>A secret that builders name in the settings and requests of sources. Its value is kept encrypted.</summary>
public sealed class StoredSecret
{
    public required string Name { get; init; }
    public required string ProtectedValue { get; set; }

    /// <summary>What it is for, in the words of whoever added it.</summary>
    public string Note { get; set; } = "";
    public DateTimeOffset ChangedAt { get; set; }

    /// <summary>The name of who set the value last.</summary>
    public required string ChangedBy { get; set; }

    /// <summary>When a source that names it was asked something last; null where none was yet.</summary>
    public DateTimeOffset? UsedAt { get; set; }

    /// <summary>The name of whose request that was, blank where it was nobody's, and of the source.</summary>
    public string UsedBy { get; set; } = "";

    public string UsedIn { get; set; } = "";
}

/// <summary>A token that an API gave, for all nodes.</summary>
public sealed class StoredApiToken
{
    /// <summary>Tells sign-ins apart; no secret can be read from it.</summary>
    public required string Key { get; init; }
    public required string ProtectedToken { get; set; }
    public DateTimeOffset Expires { get; set; }
}
