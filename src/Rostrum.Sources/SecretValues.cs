using System.Collections.Immutable;

namespace Rostrum.Sources;

/// <summary>Secrets by their names. Nothing but a request to their source sees them.</summary>
public sealed class SecretValues(IEnumerable<KeyValuePair<string, string>> values) : IEquatable<SecretValues>
{
    private const int ShortestMasked = 4;

    /// <summary>None.</summary>
    public static SecretValues None { get; } = new([]);

    /// <summary>There are none.</summary>
    public bool AreNone => All.IsEmpty;

    /// <summary>Their names.</summary>
    public IEnumerable<string> Names => All.Keys;

    internal ImmutableSortedDictionary<string, string> All { get; } = values.ToImmutableSortedDictionary(StringComparer.OrdinalIgnoreCase);

    /// <summary>A text with dots in the place of every secret.</summary>
    /// <param name="text">The text.</param>
    /// <param name="others">Further secrets.</param>
    public string Masked(string text, params IEnumerable<string?> others)
    {
        ArgumentNullException.ThrowIfNull(text);
        return All
            .Values.Concat(others)
            .OfType<string>()
            .Where(secret => secret.Length >= ShortestMasked)
            .SelectMany(secret =>
                (string[])[secret, Uri.EscapeDataString(secret), System.Text.Json.JsonEncodedText.Encode(secret).ToString()]
            )
            .OrderByDescending(secret => secret.Length)
            .Aggregate(text, (masked, secret) => masked.Replace(secret, "•••", StringComparison.Ordinal));
    }

    /// <inheritdoc/>
    public bool Equals(SecretValues? other) => other is not null && All.SequenceEqual(other.All);

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as SecretValues);

    /// <inheritdoc/>
    public override int GetHashCode() => All.Count;

    /// <summary>How many there are, and none of them.</summary>
    public override string ToString() => $"{All.Count} secrets";
}
