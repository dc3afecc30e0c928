using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Button;

internal sealed record ButtonView(string Label, string? Because);

internal sealed class ButtonPanelReader() : PanelReader<ButtonPanel>("Button")
{
    protected override Task<object?> ReadAsync(PageRun run, ButtonPanel panel, CancellationToken cancellation) =>
        Task.FromResult<object?>(
            new ButtonView(
                run.Text(panel, panel.Label) ?? "",
                run.Truth(panel, panel.Enabled) ? null
                    : run.Text(panel, panel.DisabledReason) is { Length: > 0 } because ? because
                    : "Not available for these records now."
            )
        );
}
