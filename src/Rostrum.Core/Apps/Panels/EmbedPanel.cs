using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>A page from elsewhere, within this one. Only origins that the workspace allows are shown.</summary>
public sealed record EmbedPanel : Panel, IPanelKind
{
    /// <summary>Its address, or a formula for it.</summary>
    public string Address { get; init; } = "";

    /// <summary>How high it is.</summary>
    public PanelSize Size { get; init; } = PanelSize.Medium;

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Address.Length == 0 ? [Lacks("address", "It shows no page: enter its address.")] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Embed",
            "A page from elsewhere",
            "globe",
            (name, _) => new EmbedPanel { Name = name },
            [
                Of<EmbedPanel>(
                    "address",
                    "Address",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    panel => panel.Address,
                    (panel, text) => panel with { Address = text.Trim() }
                ) with
                {
                    Help = "Only origins that the workspace allows.",
                },
                Sizes.Setting<EmbedPanel>("Height", panel => panel.Size, (panel, size) => panel with { Size = size }),
            ]
        );
}
