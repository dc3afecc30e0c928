using Rostrum.Core.Apps.Settings;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Markdown with live values in it.</summary>
public sealed record TextPanel : Panel, IPanelKind
{
    /// <summary>Markdown with <c>${formulas}</c>.</summary>
    public string Text { get; init; } = "";

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Text",
            "Text with live values in it",
            "text-paragraph",
            (name, _) => new TextPanel { Name = name, Text = "Good day, ${user.name}." },
            [
                Of<TextPanel>(
                    "text",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    panel => panel.Text,
                    (panel, text) => panel with { Text = text }
                ) with
                {
                    Help = "Markdown. Write values as ${ formula }.",
                },
            ]
        );
}
