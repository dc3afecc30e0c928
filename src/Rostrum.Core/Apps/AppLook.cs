using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps;

/// <summary>How an app looks, where that differs from Rostrum's own look.</summary>
public sealed record AppLook
{
    /// <summary>The largest logo, in characters of its text.</summary>
    public const int LargestLogo = 200_000;

    private static readonly Colour White = new(0xff, 0xff, 0xff);
    private static readonly Colour Black = new(0x10, 0x14, 0x17);

    /// <summary>
    /// The colour of what can be done, and of what is chosen, by day: <c>#1b5e50</c>. What it is in the dark follows from it.
    /// </summary>
    public string? Accent { get; init; }

    /// <summary>The picture before the app's name: a <c>data:</c> address of a PNG, JPEG, WebP or SVG.</summary>
    public string? Logo { get; init; }

    /// <summary>What it is for: a line on the page with all apps.</summary>
    public string? Description { get; init; }

    /// <summary>The name of its icon on the page with all apps.</summary>
    public string? Icon { get; init; }

    /// <summary>The masthead is higher than usual.</summary>
    public bool LargeHeader { get; init; }

    /// <summary>How corners are; as usual where null.</summary>
    public Corners? Corners { get; init; }

    /// <summary>How high rows are; as usual where null.</summary>
    public Density? Density { get; init; }

    /// <summary>Light or dark; as the system where null. What a person chooses goes before it.</summary>
    public Theme? Theme { get; init; }

    /// <summary>What can be said of it.</summary>
    public static ImmutableArray<Setting> Settings { get; } =
    [
        SettingsOf<AppLook>.Text(
            "description",
            "Description",
            SettingPart.Content,
            look => look.Description,
            (look, text) => look with { Description = text }
        ),
        SettingsOf<AppLook>.Icon(look => look.Icon, (look, icon) => look with { Icon = icon }),
        Of<AppLook>(
            "accent",
            "Colour",
            SettingPart.Appearance,
            new SettingKind.Line(),
            look => look.Accent,
            (look, text) =>
                text.Length == 0 ? look with { Accent = null }
                : Colour.Parse(text) is { } colour ? look with { Accent = colour.ToString() }
                : null
        ) with
        {
            Help = "For buttons, links and selections, such as #1b5e50.",
        },
        Of<AppLook>(
            "logo",
            "Logo",
            SettingPart.Appearance,
            new SettingKind.Line(),
            look => look.Logo,
            (look, text) =>
                text.Length == 0 ? look with { Logo = null }
                : IsLogo(text) ? look with { Logo = text }
                : null
        ),
        SettingsOf<AppLook>.Toggle(
            "largeHeader",
            "Large header",
            SettingPart.Appearance,
            look => look.LargeHeader,
            (look, on) => look with { LargeHeader = on }
        ),
        SettingsOf<AppLook>.Choice(
            "corners",
            "Corners",
            SettingPart.Appearance,
            "default",
            [(Apps.Corners.Square, "square"), (Apps.Corners.Round, "round")],
            look => look.Corners,
            (look, corners) => look with { Corners = corners }
        ),
        SettingsOf<AppLook>.Choice(
            "density",
            "Density",
            SettingPart.Appearance,
            "default",
            [(Apps.Density.Compact, "compact"), (Apps.Density.Comfortable, "comfortable")],
            look => look.Density,
            (look, density) => look with { Density = density }
        ),
        SettingsOf<AppLook>.Choice(
            "theme",
            "Theme",
            SettingPart.Appearance,
            "same as the system",
            [(Apps.Theme.Light, "light"), (Apps.Theme.Dark, "dark")],
            look => look.Theme,
            (look, theme) => look with { Theme = theme }
        ),
    ];

    /// <summary>A setting by its key, or null.</summary>
    public static Setting? Find(string key) => Settings.FirstOrDefault(setting => setting.Key == key);

    /// <summary>What is wrong with its colour: too little contrast to be read; null where it is well.</summary>
    public string? Problem =>
        Colour.Parse(Accent) is { } accent && accent.ContrastTo(Colour.LightPaper) is var contrast && contrast < Colour.LeastContrast
            ? $"The colour {accent} has a contrast of "
                + $"{contrast.ToString("0.0", System.Globalization.CultureInfo.InvariantCulture)} to the paper; "
                + $"{Colour.LeastContrast.ToString("0.0", System.Globalization.CultureInfo.InvariantCulture)} is the least that can "
                + $"be read. {accent.Towards(Black, Colour.LightPaper)} is the nearest that can."
            : null;

    /// <summary>The nearest colour that can be read.</summary>
    public string? Readable => Colour.Parse(Accent)?.Towards(Black, Colour.LightPaper).ToString();

    /// <summary>The colours by day and in the dark: of the accent, of its wash, and of what is written on it.</summary>
    public ((Colour Accent, Colour Wash, Colour On) Light, (Colour Accent, Colour Wash, Colour On) Dark)? Colours
    {
        get
        {
            if (Colour.Parse(Accent) is not { } given)
            {
                return null;
            }

            var (light, lightWash) = Readably(given, Black, Colour.LightPaper, White);
            var (dark, darkWash) = Readably(given, White, Colour.DarkSheet, Colour.DarkSheet);
            return ((light, lightWash, OnIt(light)), (dark, darkWash, OnIt(dark)));
        }
    }

    /// <summary>Whether a text is a picture that can be shown without anything in it running.</summary>
    public static bool IsLogo(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        string[] kinds = ["data:image/png;base64,", "data:image/jpeg;base64,", "data:image/webp;base64,", "data:image/svg+xml;base64,"];
        return text.Length <= LargestLogo
            && kinds.FirstOrDefault(kind => text.StartsWith(kind, StringComparison.Ordinal)) is { } known
            && Convert.TryFromBase64String(text[known.Length..], new byte[text.Length], out var bytes)
            && bytes > 0;
    }

    // The nearest colour that can be read on the ground, and on a wash of itself over the sheet.
    private static (Colour Colour, Colour Wash) Readably(Colour given, Colour towards, Colour ground, Colour sheet)
    {
        const double Share = 0.12;
        var colour = given.Towards(towards, ground);
        while (colour != towards && colour.ContrastTo(sheet.Mixed(colour, Share)) < Colour.LeastContrast)
        {
            var further = colour.Mixed(towards, 0.03);
            colour = further == colour ? towards : further;
        }

        return (colour, sheet.Mixed(colour, Share));
    }

    private static Colour OnIt(Colour ground) => ground.ContrastTo(White) >= ground.ContrastTo(Black) ? White : Black;
}
