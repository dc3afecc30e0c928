using System.Buffers;
using System.Text;

namespace Rostrum.Core.Files;

/// <summary>Which media types a file may have.</summary>
public enum FileKind
{
    /// <summary>All.</summary>
    Any,

    /// <summary>Pictures that browsers show.</summary>
    Pictures,

    /// <summary>PDF.</summary>
    Pdf,

    /// <summary>PDF, text, and documents of office programs.</summary>
    Documents,

    /// <summary>Audio and video that browsers play.</summary>
    Recordings,
}

/// <summary>What a file is (RFC 6838), told by its content and never by its name alone.</summary>
public static class MediaTypes
{
    /// <summary>So many bytes of the beginning are looked at.</summary>
    public const int Looked = 4096;

    /// <summary>What nobody knows.</summary>
    public const string Unknown = "application/octet-stream";

    /// <summary>A drawing in mark-up, in which something could run.</summary>
    public const string Drawing = "image/svg+xml";

    private const string Zip = "application/zip";

    // Offices' documents are archives: which, their name says. Whoever opens one finds out; a browser never does.
    private static readonly Dictionary<string, string> Archives = new(StringComparer.OrdinalIgnoreCase)
    {
        [".docx"] = "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
        [".xlsx"] = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
        [".pptx"] = "application/vnd.openxmlformats-officedocument.presentationml.presentation",
        [".odt"] = "application/vnd.oasis.opendocument.text",
        [".ods"] = "application/vnd.oasis.opendocument.spreadsheet",
        [".odp"] = "application/vnd.oasis.opendocument.presentation",
    };

    private static readonly HashSet<string> Shown =
    [
        "image/png",
        "image/jpeg",
        "image/gif",
        "image/webp",
        "image/avif",
        "application/pdf",
        "text/plain",
        "audio/mpeg",
        "audio/wav",
        "audio/ogg",
        "video/mp4",
        "video/webm",
    ];

    /// <summary>The media type.</summary>
    /// <param name="beginning">The first bytes: <see cref="Looked"/>, or the whole where there are fewer.</param>
    /// <param name="name">The file's name, which tells one archive from another.</param>
    /// <remarks>The signatures are those of the WHATWG's MIME Sniffing Standard, section 6, and of the formats' own descriptions.</remarks>
    public static string Of(ReadOnlySpan<byte> beginning, string name)
    {
        ArgumentNullException.ThrowIfNull(name);
        return beginning switch
        {
            [0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A, ..] => "image/png",
            [0xFF, 0xD8, 0xFF, ..] => "image/jpeg",
            [0x47, 0x49, 0x46, 0x38, 0x37 or 0x39, 0x61, ..] => "image/gif",
            [0x52, 0x49, 0x46, 0x46, _, _, _, _, 0x57, 0x45, 0x42, 0x50, ..] => "image/webp",
            [0x52, 0x49, 0x46, 0x46, _, _, _, _, 0x57, 0x41, 0x56, 0x45, ..] => "audio/wav",
            [0x25, 0x50, 0x44, 0x46, 0x2D, ..] => "application/pdf",
            [0x50, 0x4B, 0x03, 0x04, ..] or [0x50, 0x4B, 0x05, 0x06, ..] => Archives.GetValueOrDefault(Path.GetExtension(name), Zip),
            [_, _, _, _, 0x66, 0x74, 0x79, 0x70, 0x61, 0x76, 0x69, 0x66 or 0x73, ..] => "image/avif",
            [_, _, _, _, 0x66, 0x74, 0x79, 0x70, ..] => "video/mp4",
            [0x1A, 0x45, 0xDF, 0xA3, ..] => "video/webm",
            [0x49, 0x44, 0x33, ..] or [0xFF, 0xFB or 0xF3 or 0xF2, ..] => "audio/mpeg",
            [0x4F, 0x67, 0x67, 0x53, ..] => "audio/ogg",
            _ => OfText(beginning),
        };
    }

    /// <summary>A browser shows it, and nothing in it can run.</summary>
    public static bool IsShown(string type) => Shown.Contains(type);

    /// <summary>It is a picture that browsers show.</summary>
    public static bool IsPicture(string type) => IsShown(type) && type.StartsWith("image/", StringComparison.Ordinal);

    /// <summary>It is audio that browsers play.</summary>
    public static bool IsAudio(string type) => IsShown(type) && type.StartsWith("audio/", StringComparison.Ordinal);

    /// <summary>It is a video that browsers play.</summary>
    public static bool IsVideo(string type) => IsShown(type) && type.StartsWith("video/", StringComparison.Ordinal);

    /// <summary>Whether a file of a type is of a kind.</summary>
    public static bool Is(FileKind kind, string type) =>
        kind switch
        {
            FileKind.Pictures => IsPicture(type),
            FileKind.Pdf => type is "application/pdf",
            FileKind.Documents => type is "application/pdf" or "text/plain" || Archives.ContainsValue(type),
            FileKind.Recordings => IsAudio(type) || IsVideo(type),
            _ => true,
        };

    /// <summary>The types of a kind as an input for files names them, with commas between them; null where it names none.</summary>
    public static string? AcceptedOf(FileKind kind) =>
        kind switch
        {
            FileKind.Pictures => string.Join(',', Shown.Where(IsPicture)),
            FileKind.Pdf => "application/pdf",
            FileKind.Recordings => "audio/*,video/*",
            _ => null,
        };

    /// <summary>What people read of a kind: “pictures”.</summary>
    public static string WordOf(FileKind kind) =>
        kind switch
        {
            FileKind.Pictures => "pictures (PNG, JPEG, GIF, WebP, AVIF)",
            FileKind.Pdf => "PDF files",
            FileKind.Documents => "documents (PDF, text, office files)",
            FileKind.Recordings => "audio and video (MP3, WAV, Ogg, MP4, WebM)",
            _ => "files",
        };

    // What no text has: the standard's binary data bytes.
    private static readonly SearchValues<byte> Binary = SearchValues.Create([
        .. Enumerable.Range(0, 0x20).Except([0x09, 0x0A, 0x0C, 0x0D, 0x1B]).Select(one => (byte)one),
    ]);

    // Without binary bytes, and UTF-8 as far as it is looked at; mark-up is named as such, so that nobody takes it for plain text.
    private static string OfText(ReadOnlySpan<byte> beginning)
    {
        if (beginning.ContainsAny(Binary))
        {
            return Unknown;
        }

        var decoder = new UTF8Encoding(false, throwOnInvalidBytes: true).GetDecoder();
        string text;
        try
        {
            var letters = new char[beginning.Length];
            text = new string(letters, 0, decoder.GetChars(beginning, letters, flush: false));
        }
        catch (DecoderFallbackException)
        {
            return Unknown;
        }

        var start = text.TrimStart('\uFEFF', ' ', '\n', '\r', '\t', '\f');
        return !start.StartsWith('<') ? "text/plain"
            : start.StartsWith("<svg", StringComparison.Ordinal)
            || (start.StartsWith("<?xml", StringComparison.Ordinal) && start.Contains("<svg", StringComparison.Ordinal))
                ? Drawing
            : start.Contains("<html", StringComparison.OrdinalIgnoreCase)
            || start.StartsWith("<!doctype html", StringComparison.OrdinalIgnoreCase)
            || start.Contains("<script", StringComparison.OrdinalIgnoreCase)
                ? "text/html"
            : start.StartsWith("<?xml", StringComparison.Ordinal) ? "application/xml"
            : "text/plain";
    }
}
