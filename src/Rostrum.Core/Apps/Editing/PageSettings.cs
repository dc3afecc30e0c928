using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Editing;

/// <summary>What can be said of a page.</summary>
public static class PageSettings
{
    /// <summary>The key of a page's part of the address.</summary>
    public const string Address = "address";

    /// <summary>The settings.</summary>
    public static ImmutableArray<Setting> All { get; } =
    [
        Of<Page>(
            "name",
            "Name",
            SettingPart.Content,
            new SettingKind.Line(),
            page => page.Name,
            (page, text) => Blank(text) is { } name ? page with { Name = name.Trim() } : null
        ),
        Of<Page>(
            Address,
            "Address",
            SettingPart.Content,
            new SettingKind.Line(),
            page => page.Address,
            (page, text) => IsAddress(text) ? page with { Address = text } : null
        ) with
        {
            Help = "Small letters, digits, - and _. Links to the old address stop working.",
        },
        SettingsOf<Page>.Icon(page => page.Icon, (page, icon) => page with { Icon = icon }),
        Of<Page>(
            "group",
            "Menu group",
            SettingPart.Content,
            new SettingKind.Line(),
            page => page.Group,
            (page, text) => page with { Group = Blank(text) }
        ),
        SettingsOf<Page>.Toggle(
            "unlisted",
            "In the menu",
            SettingPart.Behaviour,
            page => !page.Unlisted,
            (page, on) => page with { Unlisted = !on }
        ),
        Of<Page>(
            "audience",
            "Visible to",
            SettingPart.Behaviour,
            new SettingKind.Roles(),
            page => Joined(page.Audience.Order(StringComparer.Ordinal)),
            (page, text) => page with { Audience = [.. Split(text).Distinct()] }
        ),
        SettingsOf<Page>.Toggle(
            "refreshOnChange",
            "Refresh when records change",
            SettingPart.Behaviour,
            page => page.RefreshOnChange,
            (page, on) => page with { RefreshOnChange = on }
        ),
        SettingsOf<Page>.Number(
            "refreshSeconds",
            "Refresh every (seconds)",
            SettingPart.Behaviour,
            0,
            3600,
            page => page.RefreshSeconds,
            (page, number) => page with { RefreshSeconds = number is > 0 and < 5 ? 5 : number }
        ) with
        {
            Help = "0: not by itself. At least 5.",
        },
        Of<Page>(
            "parameters",
            "Parameters",
            SettingPart.Behaviour,
            new SettingKind.Parameters(),
            page => page.Parameters.IsEmpty ? "" : KindJson.Write(page.Parameters),
            (page, text) => Parameters(text) is { } parameters ? page with { Parameters = parameters } : null
        ),
    ];

    /// <summary>A setting by its key, or null.</summary>
    public static Setting? Find(string key) => All.FirstOrDefault(setting => setting.Key == key);

    /// <summary>Whether a text can be a page's part of the address.</summary>
    public static bool IsAddress(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return text.Length is > 0 and <= 60
            && text.All(letter => char.IsAsciiLetterLower(letter) || char.IsAsciiDigit(letter) || letter is '-' or '_');
    }

    /// <summary>Whether a text can be a name of the page's own in formulas and addresses.</summary>
    public static bool IsName(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return text.Length is > 0 and <= 60
            && char.IsAsciiLetter(text[0])
            && text.All(letter => char.IsAsciiLetterOrDigit(letter) || letter == '_');
    }

    private static ImmutableArray<PageParameter>? Parameters(string text) =>
        text.Length == 0 ? []
        : KindJson.Read<PageParameter[]>(text) is { } all
        && all.All(parameter => parameter is { Type: not null } && IsName(parameter.Name))
        && all.DistinctBy(parameter => parameter.Name, StringComparer.OrdinalIgnoreCase).Count() == all.Length
            ? [.. all]
        : null;
}
