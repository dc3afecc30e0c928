using System.Text.Json;
using Rostrum.Core;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;

namespace Rostrum.Web.Build.Composer;

/// <summary>Panels as text that goes by the clipboard, between pages and between apps.</summary>
internal static class PanelClipboard
{
    private const int Longest = 500_000;

    /// <summary>The panel in a text; null where a text is none, whatever it is.</summary>
    public static Panel? Read(string? text)
    {
        if (text is null || text.Length > Longest)
        {
            return null;
        }

        try
        {
            // Every setting is asked for, so that a document with holes is found here and not later.
            return
                JsonSerializer.Deserialize<Panel>(text, KindJson.Options) is { } panel
                && panel.All.All(inner =>
                    inner is { Name: not null, Panels.IsDefault: false, Width: >= 1 and <= Panel.Columns }
                    && PageSettings.IsName(inner.Name)
                    && inner.Kind.Settings.All(setting => setting.Get(inner) is { } said && setting.Kind.Fits(said))
                    && (inner.IsContainer || inner.Panels.IsEmpty)
                )
                ? panel
                : null;
        }
        catch (Exception exception)
            when (exception
                    is JsonException
                        or NotSupportedException
                        or InvalidOperationException
                        or NullReferenceException
                        or ArgumentException
            )
        {
            return null;
        }
    }
}
