namespace Rostrum.Store;

/// <summary>
/// A page of an app that whoever has the link may open, without signing in: with the rights of one role, and never more. The link holds a
/// token, of which the store keeps a digest alone.
/// </summary>
public sealed class PublicLink
{
    public Guid Id { get; init; }

    /// <summary>The address of the app.</summary>
    public required string App { get; init; }

    /// <summary>The address of the page.</summary>
    public required string Page { get; init; }

    /// <summary>The role whose rights it has.</summary>
    public required string Role { get; init; }

    /// <summary>Forms for new records may be sent. Nothing else is ever changed by it.</summary>
    public bool AllowsForms { get; init; }

    /// <summary>SHA-256 of the token.</summary>
    public required byte[] Digest { get; init; }
    public required DateTimeOffset MadeAt { get; init; }
    public required Guid MadeBy { get; init; }

    /// <summary>When it ends; null where somebody must end it.</summary>
    public DateTimeOffset? Ends { get; init; }
}
