using Rostrum.Core.Apps.Files;

namespace Rostrum.Web.Build.Apps.Files;

/// <summary>An app's folder on a disk.</summary>
internal static class FolderOnDisk
{
    private static readonly string[] Within = ["pages", "datasets"];

    public static AppFolder Read(string path) =>
        AppFolder.Of(
            FilesOf(path).Select(file => KeyValuePair.Create(Path.GetRelativePath(path, file).Replace('\\', '/'), File.ReadAllText(file)))
        );

    /// <summary>Writes a folder. Files of pages and datasets that the app no longer has go; others are left alone.</summary>
    public static void Write(string path, AppFolder folder)
    {
        Directory.CreateDirectory(path);
        foreach (var gone in FilesOf(path).Where(file => !folder.Files.ContainsKey(Path.GetRelativePath(path, file).Replace('\\', '/'))))
        {
            File.Delete(gone);
        }

        foreach (var (name, text) in folder.Files)
        {
            var file = Path.Combine(path, name);
            Directory.CreateDirectory(Path.GetDirectoryName(file)!);
            File.WriteAllText(file, text);
        }
    }

    private static IEnumerable<string> FilesOf(string path) =>
        [
            .. Directory.Exists(path) ? Directory.EnumerateFiles(path, AppFolder.AppFile) : [],
            .. Within
                .Select(folder => Path.Combine(path, folder))
                .Where(Directory.Exists)
                .SelectMany(folder => Directory.EnumerateFiles(folder, "*.yaml")),
        ];
}
