using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A button that does something.</summary>
public sealed record ButtonPanel : Panel, IPanelKind
{
    /// <summary>What stands on it, or a formula for that.</summary>
    public string Words { get; init; } = "Button";

    /// <summary>What it does.</summary>
    public PanelAction OnClick { get; init; } = PanelAction.Nothing;

    /// <summary>Whether it can be pressed: a formula after <c>=</c>; yes where null.</summary>
    public string? Enabled { get; init; }

    /// <summary>Why it cannot be pressed, or a formula for that.</summary>
    public string? Because { get; init; }

    /// <summary>What is asked before it is done, or a formula for that; nothing where null.</summary>
    public string? Asks { get; init; }

    /// <summary>The name of its icon; none where null.</summary>
    public string? Icon { get; init; }

    /// <summary>It stands out among others.</summary>
    public bool Main { get; init; }

    /// <inheritdoc/>
    public override IEnumerable<(ActionPlace Place, NamedAction Action)> Actions =>
        [(ActionPlace.List, new NamedAction(Words, OnClick) { Asks = Asks, Enabled = Enabled, Because = Because })];

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        OnClick.IsEmpty ? [Lacks("onClick", "It does nothing when it is pressed.", warns: true)] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } = new("Button", "Does something", "hand-index",
        (name, _) => new ButtonPanel { Name = name, Width = 2 },
        [
            Of<ButtonPanel>(
                "words",
                "Words on it",
                SettingPart.Content,
                new SettingKind.Line(new FormulaType.Text()),
                panel => panel.Words,
                (panel, text) => Blank(text) is { } words ? panel with { Words = words } : null),
            Of<ButtonPanel>(
                "onClick",
                "What it does",
                SettingPart.Behaviour,
                new SettingKind.Steps(),
                panel => panel.OnClick.ToText(),
                (panel, text) => panel with { OnClick = PanelAction.Read(text)! }),
            Of<ButtonPanel>(
                "enabled",
                "Can be pressed",
                SettingPart.Behaviour,
                new SettingKind.ComputedToggle(),
                panel => panel.Enabled,
                (panel, text) => panel with { Enabled = text is "yes" ? null : Blank(text) }),
            Of<ButtonPanel>(
                "because",
                "If not, because",
                SettingPart.Behaviour,
                new SettingKind.Line(new FormulaType.Text()),
                panel => panel.Because,
                (panel, text) => panel with { Because = Blank(text) }),
            Of<ButtonPanel>(
                "asks",
                "Asks first",
                SettingPart.Behaviour,
                new SettingKind.Line(new FormulaType.Text()),
                panel => panel.Asks,
                (panel, text) => panel with { Asks = Blank(text) }),
            Of<ButtonPanel>(
                "icon",
                "Icon",
                SettingPart.Appearance,
                new SettingKind.OneOf(Icons.Offered),
                panel => panel.Icon,
                (panel, text) => panel with { Icon = Blank(text) }),
            Of<ButtonPanel>(
                "main",
                "Stands out",
                SettingPart.Appearance,
                new SettingKind.Toggle(),
                panel => Word(panel.Main),
                (panel, text) => panel with { Main = text == "yes" }),
        ]);
}
