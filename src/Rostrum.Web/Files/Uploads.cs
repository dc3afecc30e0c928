using System.Buffers;
using System.Security.Cryptography;
using Rostrum.Core.Datasets;
using Rostrum.Core.Files;
using Rostrum.Store;
using Rostrum.Web.Shared;

namespace Rostrum.Web.Files;

/// <summary>What became of a file that was sent.</summary>
internal abstract record Upload
{
    private Upload() { }

    /// <summary>It is kept.</summary>
    public sealed record Kept(FileReference File, byte[]? Small) : Upload;

    /// <summary>It is not, for this reason.</summary>
    public sealed record Refused(string Because) : Upload;
}

/// <summary>Takes files that people send: on the disk while they come, never whole in memory.</summary>
internal sealed class Uploads(FileStore files, TimeProvider time)
{
    private const int AtOnce = 64 * 1024;
    private const long Megabyte = 1024 * 1024;

    // Several pictures of that size would fill the memory together.
    private static readonly SemaphoreSlim OnePicture = new(1);

    /// <summary>Keeps a file, where a field may have it.</summary>
    public async Task<Upload> TakeAsync(Stream sent, string name, FieldType.Files limits, CancellationToken cancellation)
    {
        name = Path.GetFileName(name.Replace('\\', '/')).Trim();
        name = string.Concat(name.Where(letter => !char.IsControl(letter)));
        if (name.Length is 0 or > FileReference.LongestName)
        {
            return new Upload.Refused($"A file has a name of 1 to {FileReference.LongestName} characters.");
        }

        await using var copy = TemporaryFile.Create();
        if (await CopyAsync(sent, copy, limits.MostMegabytes * Megabyte, cancellation) is not { } hash)
        {
            return new Upload.Refused($"“{name}” is larger than {limits.MostMegabytes} MB.");
        }

        if (copy.Length == 0)
        {
            return new Upload.Refused($"“{name}” is empty.");
        }

        var beginning = new byte[MediaTypes.Looked];
        copy.Position = 0;
        var length = await copy.ReadAtLeastAsync(beginning, beginning.Length, throwOnEndOfStream: false, cancellation);
        var type = MediaTypes.Of(beginning.AsSpan(0, length), name);
        if (!MediaTypes.Is(limits.Only, type))
        {
            return new Upload.Refused($"“{name}” is not taken here: only {MediaTypes.WordOf(limits.Only)}.");
        }

        if (await files.FindAsync(hash, cancellation) is { } known)
        {
            return new Upload.Kept(new FileReference(name, known.Type, known.Size, hash), known.Small);
        }

        var small = MediaTypes.IsPicture(type) ? await SmallAsync(copy, cancellation) : null;
        if (limits.Only is FileKind.Pictures && small is null && type is not "image/avif")
        {
            return new Upload.Refused($"“{name}” cannot be shown: it is broken, or has more than 50 million points.");
        }

        copy.Position = 0;
        var file = new StoredFile
        {
            Hash = hash,
            Size = copy.Length,
            Type = type,
            Small = small,
            At = time.GetUtcNow(),
        };
        try
        {
            await files.AddAsync(file, copy, cancellation);
        }
        catch (FileStoreException exception)
        {
            return new Upload.Refused(exception.Message);
        }

        return new Upload.Kept(new FileReference(name, type, file.Size, hash), small);
    }

    private static async Task<byte[]?> SmallAsync(FileStream picture, CancellationToken cancellation)
    {
        await OnePicture.WaitAsync(cancellation);
        try
        {
            picture.Position = 0;
            using var content = new NotClosed(picture);
            return Thumbnails.Of(content);
        }
        finally
        {
            OnePicture.Release();
        }
    }

    // The hash; null where there is more than may be.
    private static async Task<string?> CopyAsync(Stream from, FileStream to, long most, CancellationToken cancellation)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var buffer = ArrayPool<byte>.Shared.Rent(AtOnce);
        try
        {
            int length;
            while ((length = await from.ReadAsync(buffer.AsMemory(0, AtOnce), cancellation)) > 0)
            {
                if (to.Length + length > most)
                {
                    return null;
                }

                hash.AppendData(buffer, 0, length);
                await to.WriteAsync(buffer.AsMemory(0, length), cancellation);
            }

            await to.FlushAsync(cancellation);
            return Convert.ToHexStringLower(hash.GetHashAndReset());
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    // Whoever decodes a picture closes what it was read from.
    private sealed class NotClosed(Stream inner) : Stream
    {
        public override bool CanRead => true;

        public override bool CanSeek => true;

        public override bool CanWrite => false;

        public override long Length => inner.Length;

        public override long Position
        {
            get => inner.Position;
            set => inner.Position = value;
        }

        public override int Read(byte[] buffer, int offset, int count) => inner.Read(buffer, offset, count);

        public override long Seek(long offset, SeekOrigin origin) => inner.Seek(offset, origin);

        public override void Flush() { }

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
