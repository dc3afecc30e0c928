namespace Rostrum.Store;

/// <summary>A file that somebody sent, whatever it was called: its content is kept once.</summary>
public sealed class StoredFile
{
    /// <summary>The SHA-256 of its content, in small hexadecimal digits.</summary>
    public required string Hash { get; init; }

    /// <summary>In bytes.</summary>
    public required long Size { get; init; }

    /// <summary>The media type of its content.</summary>
    public required string Type { get; init; }

    /// <summary>Of a picture a small one, as WebP; null where there is none.</summary>
    public byte[]? Small { get; init; }
    public required DateTimeOffset At { get; init; }
}

/// <summary>A piece of a file's content.</summary>
public sealed class FilePiece
{
    /// <summary>So long is each but the last.</summary>
    public const int Length = 256 * 1024;

    public required string Hash { get; init; }
    public required int Number { get; init; }
    public required byte[] Bytes { get; init; }
}
