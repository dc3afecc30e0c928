using System.Text.Json;

namespace Rostrum.Sources;

/// <summary>How to reach a source. Of a file only its path counts, as the database.</summary>
/// <param name="Host">A machine's name or address.</param>
/// <param name="Port">1 to 65535.</param>
/// <param name="Database">The database's name.</param>
/// <param name="User">Who connects.</param>
/// <param name="Password">That one's password.</param>
/// <param name="Encrypted">Refuse a connection that is not encrypted.</param>
public sealed record SourceSettings(string Host, int Port, string Database, string User, string Password, bool Encrypted)
{
    /// <summary>The kind of source.</summary>
    public string Kind { get; init; } = SourceKind.Usual;

    /// <summary>Nothing is written over these connections: queries of builders go there.</summary>
    internal bool ReadsOnly { get; init; }

    /// <summary>What the kind has settings for beside those, by their keys, as a JSON object.</summary>
    public string Options { get; init; } = "{}";

    /// <summary>Those, as they are read.</summary>
    internal IReadOnlyDictionary<string, string> ReadOptions() => JsonSerializer.Deserialize<Dictionary<string, string>>(Options) ?? [];

    /// <summary>The requests of an API, as a JSON list.</summary>
    public string Requests { get; init; } = "[]";

    /// <summary>The secrets that they name.</summary>
    public SecretValues Secrets { get; init; } = SecretValues.None;

    /// <summary>The settings without their secret.</summary>
    public override string ToString() => $"{User}@{Host}:{Port}/{Database}";
}
