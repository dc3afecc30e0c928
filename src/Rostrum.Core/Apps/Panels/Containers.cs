using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Apps.State;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Panels that belong together, on a grid of their own.</summary>
public sealed record SectionPanel : Panel, IPanelKind
{
    /// <inheritdoc/>
    public override bool IsContainer => true;

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new("Section", "Panels that belong together", "collection", (name, _) => new SectionPanel { Name = name }, []);
}

/// <summary>Panels of which one is shown at a time, each behind its heading.</summary>
public sealed record TabsPanel : Panel, IPanelKind
{
    /// <inheritdoc/>
    public override bool IsContainer => true;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) => Panels.IsEmpty ? [Lacks(null, "It is empty.", warns: true)] : [];

    /// <inheritdoc/>
    public override bool ShowsOneAtATime => true;

    /// <inheritdoc/>
    public override PanelState? ReadState(AddressParts address)
    {
        ArgumentNullException.ThrowIfNull(address);
        return Panels.Any(tab => tab.Name == address["tab"]) ? new TabsState(address["tab"]) : null;
    }

    /// <inheritdoc/>
    public override bool LooksTheSame(PanelState? state, PanelState? other) => Equals(state, other);

    /// <inheritdoc/>
    public override Panel? ShownAlone(PanelState? state, Func<Panel, bool> isVisible) =>
        Panels.FirstOrDefault(tab => tab.Name == (state as TabsState)?.Open && isVisible(tab)) ?? Panels.FirstOrDefault(isVisible);

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new("Tabs", "Panels of which one is shown at a time", "segmented-nav", (name, _) => new TabsPanel { Name = name }, []);
}

/// <summary>Which tab is open.</summary>
/// <param name="Open">The name of the panel behind it.</param>
public sealed record TabsState(string Open) : PanelState
{
    /// <inheritdoc/>
    public override IEnumerable<(string Name, ImmutableArray<string> Values)> Parts() => [("tab", [Open])];
}

/// <summary>Panels in a sheet at the right, which an action opens.</summary>
public sealed record SheetPanel : Panel, IPanelKind
{
    /// <summary>How wide it is.</summary>
    public PanelSize Size { get; init; } = PanelSize.Medium;

    /// <inheritdoc/>
    public override bool IsContainer => true;

    /// <inheritdoc/>
    public override bool Opens => true;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) => Panels.IsEmpty ? [Lacks(null, "It is empty.", warns: true)] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Sheet",
            "Opens from the right",
            "layout-sidebar-reverse",
            (name, _) => new SheetPanel { Name = name },
            [Sizes.Setting<SheetPanel>("Width", panel => panel.Size, (panel, size) => panel with { Size = size })]
        );
}

/// <summary>Panels in a dialog over the page, which an action opens.</summary>
public sealed record DialogPanel : Panel, IPanelKind
{
    /// <summary>How wide it is.</summary>
    public PanelSize Size { get; init; } = PanelSize.Medium;

    /// <inheritdoc/>
    public override bool IsContainer => true;

    /// <inheritdoc/>
    public override bool Opens => true;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) => Panels.IsEmpty ? [Lacks(null, "It is empty.", warns: true)] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Dialog",
            "Opens over the page",
            "window",
            (name, _) => new DialogPanel { Name = name },
            [Sizes.Setting<DialogPanel>("Width", panel => panel.Size, (panel, size) => panel with { Size = size })]
        );
}

internal static class Sizes
{
    public static Setting Setting<T>(string label, Func<T, PanelSize> get, Func<T, PanelSize, T> set)
        where T : class =>
        SettingsOf<T>.Choice(
            "size",
            label,
            SettingPart.Appearance,
            [(PanelSize.Small, "small"), (PanelSize.Medium, "medium"), (PanelSize.Large, "large")],
            get,
            set
        );
}
