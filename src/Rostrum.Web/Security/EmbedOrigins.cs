using System.Collections.Immutable;

namespace Rostrum.Web.Security;

/// <summary>The origins whose pages may stand within a page: those in the environment's ROSTRUM_EMBED, with spaces between them.</summary>
internal static class EmbedOrigins
{
    public static ImmutableArray<string> All { get; } = Parse(Environment.GetEnvironmentVariable("ROSTRUM_EMBED"));

    /// <summary>The origins whose pictures are shown where a field holds their addresses: those in ROSTRUM_PICTURES.</summary>
    public static ImmutableArray<string> Pictures { get; } = Parse(Environment.GetEnvironmentVariable("ROSTRUM_PICTURES"));

    /// <summary>The origins in a text; what is none is left out.</summary>
    public static ImmutableArray<string> Parse(string? text) =>
        [
            .. (text ?? "")
                .Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                .Select(part =>
                    Uri.TryCreate(part, UriKind.Absolute, out var uri) && (uri.Scheme is "http" or "https")
                        ? uri.GetLeftPart(UriPartial.Authority)
                        : null
                )
                .OfType<string>()
                .Distinct(),
        ];

    public static bool Allows(Uri address) => All.Contains(address.GetLeftPart(UriPartial.Authority));

    public static bool AllowsPicture(Uri address) => Pictures.Contains(address.GetLeftPart(UriPartial.Authority));
}
