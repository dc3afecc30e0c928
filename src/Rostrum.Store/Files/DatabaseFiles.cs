using Microsoft.EntityFrameworkCore;

namespace Rostrum.Store;

/// <summary>Contents of files in pieces, in the store's own database.</summary>
public sealed class DatabaseFiles(IDbContextFactory<RostrumStore> stores) : FileStore(stores)
{
    private readonly IDbContextFactory<RostrumStore> _stores = stores;

    /// <inheritdoc/>
    public override Task<Stream> OpenAsync(StoredFile file, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(file);
        return Task.FromResult<Stream>(new Pieces(_stores, file.Hash, file.Size));
    }

    /// <inheritdoc/>
    protected override async Task WriteAsync(RostrumStore store, StoredFile file, Stream content, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(store);
        ArgumentNullException.ThrowIfNull(file);
        await foreach (var (number, bytes) in StreamPieces.ReadAsync(content, FilePiece.Length, cancellation))
        {
            store.FilePieces.Add(
                new FilePiece
                {
                    Hash = file.Hash,
                    Number = number,
                    Bytes = bytes,
                }
            );
            await store.SaveChangesAsync(cancellation);
            store.ChangeTracker.Clear();
        }
    }

    // Reads piece by piece, so that no more than one is in memory.
    private sealed class Pieces(IDbContextFactory<RostrumStore> stores, string hash, long length) : Stream
    {
        private byte[] _piece = [];
        private int _number = -1;

        public override bool CanRead => true;

        public override bool CanSeek => true;

        public override bool CanWrite => false;

        public override long Length => length;

        public override long Position { get; set; }

        public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            if (Position >= length)
            {
                return 0;
            }

            var (number, from) = ((int)(Position / FilePiece.Length), (int)(Position % FilePiece.Length));
            if (number != _number)
            {
                await using var store = await stores.CreateDbContextAsync(cancellationToken);
                _piece = await store
                    .FilePieces.Where(piece => piece.Hash == hash && piece.Number == number)
                    .Select(piece => piece.Bytes)
                    .FirstOrDefaultAsync(cancellationToken)
                    ?? throw new FileStoreException("A piece of the file is gone.");
                _number = number;
            }

            var count = Math.Min(buffer.Length, _piece.Length - from);
            _piece.AsMemory(from, count).CopyTo(buffer);
            Position += count;
            return count;
        }

        public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
            ReadAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException("read it asynchronously");

        public override long Seek(long offset, SeekOrigin origin) =>
            Position = origin switch
            {
                SeekOrigin.Begin => offset,
                SeekOrigin.Current => Position + offset,
                _ => length + offset,
            };

        public override void Flush() { }

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
