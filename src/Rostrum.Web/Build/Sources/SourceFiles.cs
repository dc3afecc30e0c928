using Rostrum.Sources;

namespace Rostrum.Web.Build.Sources;

/// <summary>
/// The folder whose files may be sources: the environment's ROSTRUM_FILES. Whoever may connect a source may read nothing else on the
/// server.
/// </summary>
internal sealed class SourceFiles(string? folder)
{
    private readonly string? _folder = string.IsNullOrEmpty(folder) ? null : Path.GetFullPath(folder);

    /// <summary>The kinds of sources that can be connected here.</summary>
    public IEnumerable<SourceKind> Kinds => SourceKind.All.Where(kind => !kind.IsFile || _folder is not null);

    /// <summary>The names of the files that are there.</summary>
    public IEnumerable<string> Names =>
        _folder is not null && Directory.Exists(_folder)
            ? Directory.EnumerateFiles(_folder).Select(file => Path.GetFileName(file)).Where(IsName).Order(StringComparer.OrdinalIgnoreCase)
            : [];

    /// <summary>Whether a text is the name of a file alone, and no way to another folder.</summary>
    public static bool IsName(string name) =>
        name.Length is > 0 and <= 120 && name == Path.GetFileName(name) && name[0] != '.' && !name.Contains('\\', StringComparison.Ordinal);

    /// <summary>Settings with the path of the file that they name.</summary>
    public SourceSettings Placed(SourceSettings settings) =>
        SourceKind.Find(settings.Kind) is { IsFile: true }
            ? settings with
            {
                Database = _folder is not null && IsName(settings.Database) ? Path.Combine(_folder, settings.Database) : "",
            }
            : settings;
}
