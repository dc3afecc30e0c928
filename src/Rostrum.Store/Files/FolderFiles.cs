using Microsoft.EntityFrameworkCore;

namespace Rostrum.Store;

/// <summary>Contents of files in a folder that all nodes share: each under its hash, in folders by its first two digits.</summary>
/// <param name="stores">The store.</param>
/// <param name="folder">The folder.</param>
public sealed class FolderFiles(IDbContextFactory<RostrumStore> stores, string folder) : FileStore(stores)
{
    /// <inheritdoc/>
    public override Task<Stream> OpenAsync(StoredFile file, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(file);
        try
        {
            return Task.FromResult<Stream>(
                new FileStream(PathOf(file.Hash), FileMode.Open, FileAccess.Read, FileShare.Read, 64 * 1024, FileOptions.Asynchronous)
            );
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new FileStoreException("The file is not in the folder of files.", exception);
        }
    }

    /// <inheritdoc/>
    protected override async Task WriteAsync(RostrumStore store, StoredFile file, Stream content, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(file);
        ArgumentNullException.ThrowIfNull(content);
        var path = PathOf(file.Hash);
        try
        {
            // Whoever reads it finds all of it or nothing.
            Directory.CreateDirectory(Path.GetDirectoryName(path)!);
            var part = $"{path}.{Guid.NewGuid():N}";
            try
            {
                await using (var written = new FileStream(part, FileMode.CreateNew, FileAccess.Write, FileShare.None))
                {
                    await content.CopyToAsync(written, cancellation);
                    written.Flush(flushToDisk: true);
                }

                File.Move(part, path, overwrite: true);
            }
            finally
            {
                File.Delete(part);
            }
        }
        catch (UnauthorizedAccessException exception)
        {
            throw new IOException(exception.Message, exception);
        }
    }

    private string PathOf(string hash) => Path.Combine(folder, hash[..2], hash);
}
