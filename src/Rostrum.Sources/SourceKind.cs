using System.Collections.Immutable;

namespace Rostrum.Sources;

/// <summary>A kind of source: what builders call it, and what they say to connect one.</summary>
/// <param name="Name">Its name in settings.</param>
/// <param name="Label">What people call it.</param>
/// <param name="Settings">What is to be said, in the order of a form.</param>
public sealed record SourceKind(string Name, string Label, ImmutableArray<SourceSetting> Settings)
{
    /// <summary>All kinds, found by being there; the usual one first.</summary>
    public static ImmutableArray<SourceKind> All { get; } =
    [.. SourceProvider.All.Select(provider => provider.Describes).OrderBy(kind => kind.Name != Usual).ThenBy(kind => kind.Label)];

    /// <summary>The kind that a form begins with.</summary>
    public const string Usual = "postgres";

    /// <summary>A kind by its name; null where there is none.</summary>
    public static SourceKind? Find(string name) => All.FirstOrDefault(kind => kind.Name == name);

    /// <summary>Its tables are requests that a builder describes.</summary>
    public bool HasRequests { get; init; }

    /// <summary>It comes with the workspace: nobody connects one, and no SQL is taken for it.</summary>
    public bool IsBuiltIn { get; init; }

    /// <summary>What is said where one can be reached and there is nothing in it; null for the usual words.</summary>
    public string? Empty { get; init; }

    /// <summary>Whether its sources are files on the server.</summary>
    public bool IsFile => Settings.Any(setting => setting.Input is SettingInput.File);

    /// <summary>What every server of databases wants to be told.</summary>
    /// <param name="port">The port where such a server usually listens.</param>
    internal static ImmutableArray<SourceSetting> Server(int port) =>
        [
            new("Host", "Host", SettingInput.Host)
            {
                Example = "db.example.internal",
                Missing = "Write the name or address of the machine.",
            },
            new("Port", "Port", SettingInput.Port) { Standard = port, Missing = $"Write the port; the usual one is {port}." },
            new("Database", "Database", SettingInput.Text) { Missing = "Write the name of the database." },
            new("UserName", "User", SettingInput.Text) { Missing = "Write the user who connects." },
            new("Password", "Password", SettingInput.Secret),
            new("Encrypted", "Refuse a connection that is not encrypted", SettingInput.Toggle),
            .. Sql.ServerCertificate.Settings,
        ];
}

/// <summary>One thing that is said to connect a source.</summary>
/// <param name="Key">Its name: one of the parts of <see cref="SourceSettings"/>.</param>
/// <param name="Label">What builders read.</param>
/// <param name="Input">How it is typed.</param>
public sealed record SourceSetting(string Key, string Label, SettingInput Input)
{
    /// <summary>What stands in the empty input as an example.</summary>
    public string? Example { get; init; }

    /// <summary>A sentence under the input.</summary>
    public string? Help { get; init; }

    /// <summary>The number with which the input begins.</summary>
    public int? Standard { get; init; }

    /// <summary>What is chosen from, each with its label.</summary>
    public ImmutableArray<(string Value, string Label)> Options { get; init; } = [];

    /// <summary>The setting and its values with which this one counts; null where it always does.</summary>
    public (string Key, ImmutableArray<string> Values)? When { get; init; }

    /// <summary>What is said where it is blank; null where it may be.</summary>
    public string? Missing { get; init; }
}

/// <summary>How a setting of a source is typed.</summary>
public enum SettingInput
{
    /// <summary>A line of text.</summary>
    Text,

    /// <summary>The name or address of a machine.</summary>
    Host,

    /// <summary>A port, 1 to 65535.</summary>
    Port,

    /// <summary>A text that is kept encrypted and not shown again.</summary>
    Secret,

    /// <summary>Yes or no.</summary>
    Toggle,

    /// <summary>One of some options.</summary>
    Choice,

    /// <summary>The address of a service, with http or https.</summary>
    Address,

    /// <summary>Several lines of text.</summary>
    Lines,

    /// <summary>A file in the folder of files that the administrator allows.</summary>
    File,
}
