using Rostrum.Sources;

namespace Rostrum.Web.Build.Sources;

/// <summary>
/// The folder whose files may be sources: the environment's ROSTRUM_FILES. Whoever may connect a source may read nothing else on the
/// server.
/// </summary>
internal sealed class SourceFiles(string? folder)
{
    /// <summary>The largest file that may be sent.</summary>
    public const int MostMegabytes = 100;

    private readonly string? _folder = string.IsNullOrEmpty(folder) ? null : Path.GetFullPath(folder);

    /// <summary>The kinds of sources that can be connected here.</summary>
    public IEnumerable<SourceKind> Kinds => SourceKind.All.Where(kind => !kind.IsBuiltIn && (!kind.IsFile || _folder is not null));

    /// <summary>The names of the files that are there.</summary>
    public IEnumerable<string> Names =>
        _folder is not null && Directory.Exists(_folder)
            ? Directory.EnumerateFiles(_folder).Select(file => Path.GetFileName(file)).Where(IsName).Order(StringComparer.OrdinalIgnoreCase)
            : [];

    /// <summary>Whether a text is the name of a file alone, and no way to another folder.</summary>
    public static bool IsName(string name) =>
        name.Length is > 0 and <= 120 && name == Path.GetFileName(name) && name[0] != '.' && !name.Contains('\\', StringComparison.Ordinal);

    /// <summary>Keeps a file that was sent. One that is there already is never replaced: a source may read it.</summary>
    /// <returns>Why it is not kept; null where it is.</returns>
    public async Task<string?> KeepAsync(IFormFile file, string name, CancellationToken cancellation)
    {
        if (_folder is null || !IsName(name))
        {
            return "Give the file a plain name, such as dues.db.";
        }

        if (file.Length > MostMegabytes * 1024L * 1024)
        {
            return $"It is larger than {MostMegabytes} MB. The administrator can put it into the folder.";
        }

        Directory.CreateDirectory(_folder);
        var half = Path.Combine(_folder, $".{Guid.NewGuid():N}");
        try
        {
            await using (var kept = new FileStream(half, FileMode.CreateNew, FileAccess.Write))
            {
                await file.CopyToAsync(kept, cancellation);
            }

            File.Move(half, Path.Combine(_folder, name), overwrite: false);
            return null;
        }
        catch (IOException) when (File.Exists(Path.Combine(_folder, name)))
        {
            return $"There is a file “{name}” already. Choose it above, or give yours another name.";
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            return "It cannot be kept: there is no room in the folder, or Rostrum may not write there.";
        }
        finally
        {
            File.Delete(half);
        }
    }

    /// <summary>Removes a file that was just kept.</summary>
    public void Remove(string name)
    {
        if (_folder is not null && IsName(name))
        {
            File.Delete(Path.Combine(_folder, name));
        }
    }

    /// <summary>Settings with the path of the file that they name.</summary>
    public SourceSettings Placed(SourceSettings settings) =>
        SourceKind.Find(settings.Kind) is { IsFile: true }
            ? settings with
            {
                Database = _folder is not null && IsName(settings.Database) ? Path.Combine(_folder, settings.Database) : "",
            }
            : settings;
}
