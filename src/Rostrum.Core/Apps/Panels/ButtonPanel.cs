using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A button that does something.</summary>
public sealed record ButtonPanel : Panel, IPanelKind
{
    /// <summary>What stands on it, or a formula for that.</summary>
    public string Label { get; init; } = "Button";

    /// <summary>What it does.</summary>
    public PanelAction OnClick { get; init; } = PanelAction.Nothing;

    /// <summary>Whether it can be pressed: a formula after <c>=</c>; yes where null.</summary>
    public string? Enabled { get; init; }

    /// <summary>Why it cannot be pressed, or a formula for that.</summary>
    public string? DisabledReason { get; init; }

    /// <summary>What is asked before it is done, or a formula for that; nothing where null.</summary>
    public string? Confirmation { get; init; }

    /// <summary>The name of its icon; none where null.</summary>
    public string? Icon { get; init; }

    /// <summary>It stands out among others.</summary>
    public bool Emphasis { get; init; }

    /// <inheritdoc/>
    public override IEnumerable<(ActionPlace Place, NamedAction Action)> Actions =>
        [
            (
                ActionPlace.List,
                new NamedAction(Label, OnClick)
                {
                    Confirmation = Confirmation,
                    Enabled = Enabled,
                    DisabledReason = DisabledReason,
                }
            ),
        ];

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        OnClick.IsEmpty ? [Lacks("onClick", "It has no steps.", warns: true)] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Button",
            "Does something",
            "hand-index",
            (name, _) => new ButtonPanel { Name = name, Width = 2 },
            [
                Of<ButtonPanel>(
                    "label",
                    "Label",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    panel => panel.Label,
                    (panel, text) => Blank(text) is { } words ? panel with { Label = words } : null
                ),
                SettingsOf<ButtonPanel>.Steps("onClick", "Steps", panel => panel.OnClick, (panel, steps) => panel with { OnClick = steps }),
                SettingsOf<ButtonPanel>.Computed(
                    "enabled",
                    "Enabled",
                    SettingPart.Behaviour,
                    panel => panel.Enabled,
                    (panel, formula) => panel with { Enabled = formula }
                ),
                SettingsOf<ButtonPanel>.Text(
                    "disabledReason",
                    "Reason when disabled",
                    SettingPart.Behaviour,
                    panel => panel.DisabledReason,
                    (panel, text) => panel with { DisabledReason = text }
                ),
                SettingsOf<ButtonPanel>.Text(
                    "confirmation",
                    "Confirmation",
                    SettingPart.Behaviour,
                    panel => panel.Confirmation,
                    (panel, text) => panel with { Confirmation = text }
                ),
                SettingsOf<ButtonPanel>.Icon(panel => panel.Icon, (panel, icon) => panel with { Icon = icon }),
                SettingsOf<ButtonPanel>.Toggle(
                    "emphasis",
                    "Emphasis",
                    SettingPart.Appearance,
                    panel => panel.Emphasis,
                    (panel, on) => panel with { Emphasis = on }
                ),
            ]
        );
}
