using Rostrum.Sources.Sql;

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

    /// <summary>The settings without their secret.</summary>
    public override string ToString() => $"{User}@{Host}:{Port}/{Database}";
}
