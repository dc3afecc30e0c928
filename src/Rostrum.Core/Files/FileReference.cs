using System.Collections.Immutable;
using System.Text.Json.Serialization;

namespace Rostrum.Core.Files;

/// <summary>A file that somebody sent: its content is found by its hash.</summary>
/// <param name="Name">As its sender called it.</param>
/// <param name="Type">Its media type (RFC 6838).</param>
/// <param name="Size">In bytes.</param>
/// <param name="Hash">The SHA-256 of its content, in 64 small hexadecimal digits.</param>
public sealed record FileReference(string Name, string Type, long Size, string Hash)
{
    /// <summary>So long may a name be, in characters.</summary>
    public const int LongestName = 250;

    /// <summary>What a picture shows, for whoever does not see it.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Alt { get; init; }

    /// <summary>Whether a text is a hash.</summary>
    public static bool IsHash(string? text) => text is { Length: 64 } && text.All(char.IsAsciiHexDigitLower);
}

/// <summary>The files of a field, in order. Two are equal when they have the same files in the same order.</summary>
public sealed record FileList(ImmutableArray<FileReference> Files)
{
    /// <inheritdoc/>
    public bool Equals(FileList? other) => other is not null && Files.AsSpan().SequenceEqual(other.Files.AsSpan());

    /// <inheritdoc/>
    public override int GetHashCode() => Files.Aggregate(Files.Length, (hash, file) => HashCode.Combine(hash, file));
}
