using System.Collections.Immutable;

namespace Rostrum.Core.Apps.Files;

/// <summary>
/// An app as text files: <c>app.yaml</c>, a file a page below <c>pages</c>, and a file a dataset that it uses below <c>datasets</c>.
/// </summary>
/// <param name="Files">The files' contents by their paths, with slashes.</param>
public sealed record AppFolder(ImmutableSortedDictionary<string, string> Files)
{
    /// <summary>The file of the app itself.</summary>
    public const string AppFile = "app.yaml";

    /// <summary>A folder of some files.</summary>
    public static AppFolder Of(IEnumerable<KeyValuePair<string, string>> files) =>
        new(files.ToImmutableSortedDictionary(StringComparer.Ordinal));

    /// <summary>The file of a page.</summary>
    public static string PageFile(string address) => $"pages/{address}.yaml";

    /// <summary>The file of a dataset, by the name that the folder has for it.</summary>
    public static string DatasetFile(string name) => $"datasets/{name}.yaml";
}

/// <summary>Something in a file that is not as it should be.</summary>
/// <param name="File">The file's path within the folder.</param>
/// <param name="Line">The line, from 1.</param>
/// <param name="Message">What is wrong.</param>
/// <param name="Warns">The app works all the same.</param>
public sealed record FileProblem(string File, int Line, string Message, bool Warns = false)
{
    /// <summary>As compilers say it: <c>pages/defects.yaml:12: …</c></summary>
    public override string ToString() => $"{File}:{Line}: {(Warns ? "warning: " : "")}{Message}";
}

/// <summary>An app with its datasets, outside a workspace: sources are known by their names.</summary>
/// <param name="Address">The app's part of an address.</param>
/// <param name="Frozen">The app and the datasets that it uses.</param>
/// <param name="Sources">The names of the sources in which the datasets are.</param>
public sealed record PortableApp(string Address, FrozenApp Frozen, ImmutableDictionary<Datasets.SourceId, string> Sources);
