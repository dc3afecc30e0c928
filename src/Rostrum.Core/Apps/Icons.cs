using System.Collections.Immutable;

namespace Rostrum.Core.Apps;

/// <summary>The icons that a builder can choose, by their names in Bootstrap Icons.</summary>
public static class Icons
{
    /// <summary>Whether there is an icon of a name.</summary>
    public static bool Has(string name) => Offered.Any(icon => icon.Value == name);

    /// <summary>Names and what builders read; the first is none.</summary>
    public static ImmutableArray<(string Value, string Label)> Offered { get; } =
    [
        ("", "none"),
        ("house", "house"),
        ("calendar3", "calendar"),
        ("clock", "clock"),
        ("geo-alt", "place"),
        ("signpost", "signpost"),
        ("people", "people"),
        ("person", "person"),
        ("clipboard", "clipboard"),
        ("clipboard-check", "clipboard with a tick"),
        ("inbox", "inbox"),
        ("table", "table"),
        ("bar-chart", "chart"),
        ("graph-up", "curve"),
        ("speedometer2", "gauge"),
        ("cash-coin", "money"),
        ("fuel-pump", "fuel"),
        ("tools", "tools"),
        ("wrench", "wrench"),
        ("life-preserver", "lifebuoy"),
        ("image", "picture"),
        ("bell", "bell"),
        ("flag", "flag"),
        ("bookmark", "bookmark"),
        ("globe", "globe"),
        ("plus-lg", "plus"),
        ("pencil", "pencil"),
        ("check-lg", "tick"),
        ("x-lg", "cross"),
        ("trash", "bin"),
        ("copy", "copy"),
        ("download", "download"),
        ("send", "send"),
        ("envelope", "letter"),
        ("telephone", "telephone"),
        ("arrow-right", "arrow"),
        ("box-arrow-up-right", "leading outside"),
        ("link-45deg", "link"),
        ("info-circle", "information"),
        ("exclamation-triangle", "attention"),
    ];
}
