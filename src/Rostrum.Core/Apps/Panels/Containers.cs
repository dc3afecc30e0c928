using System.Collections.Immutable;
using System.Text.Json.Serialization;
using Rostrum.Core.Apps.Settings;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Panels that belong together, on a grid of their own.</summary>
public sealed record SectionPanel : Panel, IPanelKind
{
    /// <inheritdoc/>
    [JsonIgnore]
    public override bool IsContainer => true;

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Section", "Panels that belong together", "collection", (name, _) => new SectionPanel { Name = name }, []);
}

/// <summary>Panels of which one is shown at a time, each behind its heading.</summary>
public sealed record TabsPanel : Panel, IPanelKind
{
    /// <inheritdoc/>
    [JsonIgnore]
    public override bool IsContainer => true;

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Tabs", "Panels of which one is shown at a time", "segmented-nav", (name, _) => new TabsPanel { Name = name }, []);
}

/// <summary>Panels in a sheet at the right, which an action opens.</summary>
public sealed record SheetPanel : Panel, IPanelKind
{
    /// <summary>How wide it is.</summary>
    public string Size { get; init; } = "medium";

    /// <inheritdoc/>
    [JsonIgnore]
    public override bool IsContainer => true;

    /// <inheritdoc/>
    [JsonIgnore]
    public override bool Opens => true;

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Sheet", "Opens from the right", "layout-sidebar-reverse", (name, _) => new SheetPanel { Name = name },
        [Of<SheetPanel>("size", "Size", SettingPart.Appearance, Sizes.Kind, panel => panel.Size, (panel, text) => panel with { Size = text })]);
}

/// <summary>Panels in a dialog over the page, which an action opens.</summary>
public sealed record DialogPanel : Panel, IPanelKind
{
    /// <summary>How wide it is.</summary>
    public string Size { get; init; } = "medium";

    /// <inheritdoc/>
    [JsonIgnore]
    public override bool IsContainer => true;

    /// <inheritdoc/>
    [JsonIgnore]
    public override bool Opens => true;

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Dialog", "Opens over the page", "window", (name, _) => new DialogPanel { Name = name },
        [Of<DialogPanel>("size", "Size", SettingPart.Appearance, Sizes.Kind, panel => panel.Size, (panel, text) => panel with { Size = text })]);
}

internal static class Sizes
{
    private static readonly ImmutableArray<(string, string)> All = [("small", "small"), ("medium", "medium"), ("large", "large")];

    public static SettingKind Kind { get; } = new SettingKind.OneOf(All);
}
