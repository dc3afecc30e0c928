using Rostrum.Core.Apps.Panels;
using Rostrum.Web.Security;

namespace Rostrum.Web.Live.Panels.Embed;

/// <summary>The address of a page from elsewhere, or why it is not shown.</summary>
internal sealed record EmbedView(string? Address, string? Because);

internal sealed class EmbedPanelReader() : PanelReader<EmbedPanel>("Embed")
{
    protected override Task<object?> ReadAsync(PageRun run, EmbedPanel panel, CancellationToken cancellation)
    {
        var text = run.Text(panel, panel.Address) ?? "";
        return Task.FromResult<object?>(
            !Uri.TryCreate(text, UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https")
                ? new EmbedView(null, text.Length == 0 ? "There is no page to show at this moment." : $"“{text}” is no address of a page.")
            : EmbedOrigins.Allows(address) ? new EmbedView(address.AbsoluteUri, null)
            : new EmbedView(
                null,
                $"{address.GetLeftPart(UriPartial.Authority)} is not among the origins whose pages may be shown here. Who runs "
                    + "this workspace can add it to ROSTRUM_EMBED."
            )
        );
    }
}
