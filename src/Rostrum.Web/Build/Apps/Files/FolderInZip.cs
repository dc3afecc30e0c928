using System.IO.Compression;
using System.Text;
using Rostrum.Core.Apps.Files;

namespace Rostrum.Web.Build.Apps.Files;

/// <summary>An app's folder as one ZIP file, to be downloaded and uploaded.</summary>
internal static class FolderInZip
{
    /// <summary>The most that an uploaded folder may hold, in bytes, unpacked.</summary>
    public const long Largest = 20_000_000;
    private const int MostFiles = 2000;

    public static byte[] Write(AppFolder folder)
    {
        using var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (name, text) in folder.Files)
            {
                using var file = zip.CreateEntry(name).Open();
                file.Write(Encoding.UTF8.GetBytes(text));
            }
        }

        return bytes.ToArray();
    }

    /// <summary>Reads a ZIP file. A folder around everything in it does not matter.</summary>
    /// <returns>The folder, or what is wrong with the file.</returns>
    public static async Task<(AppFolder? Folder, string? Problem)> ReadAsync(Stream stream, CancellationToken cancellation)
    {
        // Of a stream that is too short, an upload's own says something else than that.
        using var bytes = new MemoryStream();
        await stream.CopyToAsync(bytes, cancellation);
        try
        {
            using var zip = new ZipArchive(bytes, ZipArchiveMode.Read);
            var entries = zip.Entries.Where(entry => entry.FullName.EndsWith(".yaml", StringComparison.Ordinal)).ToArray();
            if (entries.FirstOrDefault(entry => entry.Name == AppFolder.AppFile) is not { } head)
            {
                return (null, $"There is no {AppFolder.AppFile} in this file. Choose one that was exported from an app.");
            }

            var around = head.FullName[..^AppFolder.AppFile.Length];
            if (entries.Length > MostFiles)
            {
                return (null, $"This file holds {entries.Length} files; {MostFiles} are read at most.");
            }

            var files = new Dictionary<string, string>();
            var room = Largest;
            foreach (var entry in entries.Where(entry => entry.FullName.StartsWith(around, StringComparison.Ordinal)))
            {
                // What an entry says of its own size is not to be trusted.
                using var opened = await entry.OpenAsync(cancellation);
                var buffer = new byte[room + 1];
                var length = await opened.ReadAtLeastAsync(buffer, buffer.Length, throwOnEndOfStream: false, cancellation);
                if (length > room)
                {
                    return (null, $"This file holds more than {Largest / 1_000_000} MB.");
                }

                room -= length;
                files[entry.FullName[around.Length..]] = Encoding.UTF8.GetString(buffer, 0, length);
            }

            return (AppFolder.Of(files), null);
        }
        catch (Exception exception) when (exception is InvalidDataException or IOException or NotSupportedException)
        {
            return (null, "This is not a ZIP file, or it is damaged.");
        }
    }
}
