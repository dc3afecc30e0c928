using System.Globalization;
using System.Text;

namespace Rostrum.StandIns.Fleet;

/// <summary>A side view of a made-up ferry, drawn as SVG.</summary>
internal static class VesselPicture
{
    private static readonly string[] Hues = ["#1B5E50", "#2F5D86", "#A23A24", "#8A5A0B"];

    public static byte[] Draw(string name, int index)
    {
        var hue = Hues[index % Hues.Length];
        var decks = 1 + (index % 3);
        var svg = new StringBuilder();
        svg.Append(
            CultureInfo.InvariantCulture,
            $"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 480 240" role="img" aria-label="{name}">"""
        );
        svg.Append("""<rect width="480" height="240" fill="#E2ECF4"/><rect y="178" width="480" height="62" fill="#8FB3C7"/>""");
        for (var deck = 0; deck < decks; deck++)
        {
            var top = 112 - (deck * 24);
            svg.Append(
                CultureInfo.InvariantCulture,
                $"""<rect x="{110 + (deck * 18)}" y="{top}" width="{260 - (deck * 44)}" height="24" fill="#FFFFFF" stroke="#5A646A"/>"""
            );
            for (var x = 122 + (deck * 18); x < 350 - (deck * 30); x += 20)
            {
                svg.Append(CultureInfo.InvariantCulture, $"""<rect x="{x}" y="{top + 7}" width="11" height="9" fill="#5A7F96"/>""");
            }
        }

        svg.Append(
            CultureInfo.InvariantCulture,
            $"""<rect x="270" y="{78 - (decks * 18)}" width="30" height="{58 + (decks * 4)}" fill="{hue}"/>"""
        );
        svg.Append(
            CultureInfo.InvariantCulture,
            $"""<path d="M56 136 H424 L400 190 H84 Z" fill="{hue}"/><path d="M70 168 H410" stroke="#FFFFFF" stroke-width="3"/>"""
        );
        svg.Append(
            CultureInfo.InvariantCulture,
            $"""
            <text x="92" y="158" fill="#FFFFFF" font-family="sans-serif" font-size="15" letter-spacing="2">{name.ToUpperInvariant()}</text>
            """
        );
        var waves = string.Concat(Enumerable.Repeat(" t30 0", 15));
        svg.Append("<path d=\"M0 196 q15 -8 30 0").Append(waves).Append("\" fill=\"none\" stroke=\"#FFFFFF\" stroke-width=\"2\"/></svg>");
        return Encoding.UTF8.GetBytes(svg.ToString());
    }
}
