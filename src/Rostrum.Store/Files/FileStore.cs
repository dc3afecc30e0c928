using System.Diagnostics.CodeAnalysis;
using Microsoft.EntityFrameworkCore;

namespace Rostrum.Store;

/// <summary>A file's content can be neither kept nor read: the place where it is kept is full, or does not answer.</summary>
[SuppressMessage("Design", "CA1032", Justification = "It always says why.")]
public sealed class FileStoreException(string message, Exception? inner = null) : Exception(message, inner);

/// <summary>Keeps the contents of files, each once, by its hash. What is kept here never changes.</summary>
public abstract class FileStore(IDbContextFactory<RostrumStore> stores)
{
    /// <summary>What is known of a file; null where there is none.</summary>
    public async Task<StoredFile?> FindAsync(string hash, CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        return await store.Files.AsNoTracking().FirstOrDefaultAsync(row => row.Hash == hash, cancellation);
    }

    /// <summary>Keeps a file: all of it, or nothing. One that is kept already is not kept again.</summary>
    /// <exception cref="FileStoreException">It could not be kept.</exception>
    public async Task AddAsync(StoredFile file, Stream content, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(file);
        ArgumentNullException.ThrowIfNull(content);
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        try
        {
            store.Files.Add(file);
            await store.SaveChangesAsync(cancellation);
            await WriteAsync(store, file, content, cancellation);
            await transaction.CommitAsync(cancellation);
        }
        catch (DbUpdateException exception) when (StoreFailure.IsTaken(exception))
        {
            // It is kept already.
        }
        catch (IOException exception)
        {
            throw new FileStoreException(
                "The file could not be kept: the place for files is full or gone. Tell whoever runs Rostrum.",
                exception
            );
        }
    }

    /// <summary>A file's content, in which one can seek.</summary>
    /// <exception cref="FileStoreException">It could not be read.</exception>
    public abstract Task<Stream> OpenAsync(StoredFile file, CancellationToken cancellation);

    /// <summary>Keeps a content, in the transaction that says that it is there.</summary>
    protected abstract Task WriteAsync(RostrumStore store, StoredFile file, Stream content, CancellationToken cancellation);
}
