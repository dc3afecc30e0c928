using System.Text;

namespace Rostrum.Web.Live;

/// <summary>Tells pictures by their first bytes; nothing else is served as one.</summary>
internal static class Pictures
{
    public static string? MediaType(ReadOnlySpan<byte> bytes) =>
        bytes switch
        {
            [0x89, 0x50, 0x4E, 0x47, ..] => "image/png",
            [0xFF, 0xD8, 0xFF, ..] => "image/jpeg",
            [0x47, 0x49, 0x46, 0x38, ..] => "image/gif",
            [0x52, 0x49, 0x46, 0x46, _, _, _, _, 0x57, 0x45, 0x42, 0x50, ..] => "image/webp",
            _ when Encoding.UTF8.GetString(bytes[..Math.Min(bytes.Length, 256)]).TrimStart('\uFEFF', ' ', '\n', '\r', '\t') is var start
                    && (
                        start.StartsWith("<svg", StringComparison.Ordinal)
                        || (start.StartsWith("<?xml", StringComparison.Ordinal) && start.Contains("<svg", StringComparison.Ordinal))
                    ) => "image/svg+xml",
            _ => null,
        };
}
