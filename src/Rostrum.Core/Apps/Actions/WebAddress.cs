using System.Text;

namespace Rostrum.Core.Apps.Actions;

/// <summary>Addresses that actions and links lead to.</summary>
public static class WebAddress
{
    private static readonly string[] Schemes = [Uri.UriSchemeHttp, Uri.UriSchemeHttps, Uri.UriSchemeMailto, "tel"];

    /// <summary>Whether a browser may be sent there: an address of the web, of mail or of a telephone, and nothing that runs.</summary>
    public static bool IsSafe(string address) =>
        Uri.TryCreate(address, UriKind.Absolute, out var uri) && Schemes.Contains(uri.Scheme, StringComparer.OrdinalIgnoreCase);

    /// <summary>The address that begins an e-mail (RFC 6068).</summary>
    /// <param name="to">Recipients, with commas or semicolons between them.</param>
    /// <param name="copies">Who gets a copy.</param>
    /// <param name="blindCopies">Who gets one that the others do not see.</param>
    /// <param name="subject">One line; line breaks in it become spaces.</param>
    /// <param name="body">Its lines may end in any way.</param>
    public static string Mail(string to, string copies = "", string blindCopies = "", string subject = "", string body = "")
    {
        ArgumentNullException.ThrowIfNull(subject);
        ArgumentNullException.ThrowIfNull(body);
        (string Name, string Value)[] parts =
        [
            ("cc", Addresses(copies)),
            ("bcc", Addresses(blindCopies)),
            ("subject", Uri.EscapeDataString(Sound(subject).ReplaceLineEndings(" ").Trim())),
            ("body", Uri.EscapeDataString(Sound(body).ReplaceLineEndings("\r\n"))),
        ];
        var given = string.Join('&', parts.Where(part => part.Value.Length > 0).Select(part => $"{part.Name}={part.Value}"));
        return $"mailto:{Addresses(to)}{(given.Length > 0 ? "?" : "")}{given}";
    }

    // Commas divide addresses, "@" stays readable, everything else is escaped: nothing in an address can begin another part.
    private static string Addresses(string text) =>
        string.Join(
            ',',
            text.Split([',', ';'], StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Select(address =>
                    Uri.EscapeDataString(Sound(address).ReplaceLineEndings("")).Replace("%40", "@", StringComparison.Ordinal)
                )
        );

    // Halves of characters cannot be escaped.
    private static string Sound(string text) => Encoding.UTF8.GetString(Encoding.UTF8.GetBytes(text));
}
