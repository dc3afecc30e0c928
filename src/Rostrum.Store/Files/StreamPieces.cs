using System.Runtime.CompilerServices;

namespace Rostrum.Store;

/// <summary>A content in pieces, so that no more than one is in memory.</summary>
public static class StreamPieces
{
    /// <summary>The pieces from where the content is, in order: each as long as is said, but the last.</summary>
    public static async IAsyncEnumerable<(int Number, byte[] Bytes)> ReadAsync(
        Stream content,
        int length,
        [EnumeratorCancellation] CancellationToken cancellation
    )
    {
        ArgumentNullException.ThrowIfNull(content);
        var piece = new byte[length];
        for (var number = 0; ; number++)
        {
            var read = await content.ReadAtLeastAsync(piece, length, throwOnEndOfStream: false, cancellation);
            if (read == 0)
            {
                yield break;
            }

            yield return (number, piece[..read]);
        }
    }
}
