using System.Collections.Immutable;

namespace Rostrum.Core.Apps.Editing;

/// <summary>Puts panels into pages and takes them out.</summary>
public static class PageTree
{
    /// <summary>The app with one page replaced by what it has become.</summary>
    public static AppDefinition With(AppDefinition app, Page page)
    {
        ArgumentNullException.ThrowIfNull(app);
        ArgumentNullException.ThrowIfNull(page);
        return app with { Pages = [.. app.Pages.Select(known => known.Address == page.Address ? page : known)] };
    }

    /// <summary>The container of a panel, null where that is the page, and its place there.</summary>
    public static (string? Parent, int Index) PlaceOf(Page page, string panel)
    {
        ArgumentNullException.ThrowIfNull(page);
        var parent = page.ParentOf(panel);
        var among = parent?.Panels ?? page.Panels;
        return (parent?.Name, among.IndexOf(among.First(other => other.Name == panel)));
    }

    internal static AppDefinition Replace(AppDefinition app, string page, string name, Panel panel) =>
        With(app, Each(app.Find(page)!, known => known.Name == name ? panel : known));

    internal static Page Insert(Page page, string? parent, int index, Panel panel) =>
        parent is null
            ? page with
            {
                Panels = page.Panels.Insert(Math.Clamp(index, 0, page.Panels.Length), panel),
            }
            : Each(page, known =>
                known.Name == parent ? known with { Panels = known.Panels.Insert(Math.Clamp(index, 0, known.Panels.Length), panel) } : known
            );

    internal static Page Remove(Page page, string name)
    {
        static ImmutableArray<Panel> Without(ImmutableArray<Panel> panels, string name) =>
            [
                .. panels
                    .Where(panel => panel.Name != name)
                    .Select(panel => panel.Panels.IsEmpty ? panel : panel with { Panels = Without(panel.Panels, name) }),
            ];
        return page with { Panels = Without(page.Panels, name) };
    }

    /// <summary>The page with each panel replaced, those within others first.</summary>
    internal static Page Each(Page page, Func<Panel, Panel> change)
    {
        ImmutableArray<Panel> All(ImmutableArray<Panel> panels) =>
            [.. panels.Select(panel => change(panel.Panels.IsEmpty ? panel : panel with { Panels = All(panel.Panels) }))];
        return page with { Panels = All(page.Panels) };
    }

    // Why a panel cannot stand there; null where it can.
    internal static string? Misplaced(Page page, string? parent, Panel panel) =>
        parent is null ? null
        : page.Find(parent) is not { } container ? $"The panel “{parent}” is no longer there."
        : !container.IsContainer ? $"Nothing can stand within a {container.Kind.Label.ToLowerInvariant()}."
        : panel.All.Any(inner => inner.Opens) ? "A sheet or a dialog stands on the page itself."
        : null;
}
