using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Editing;

/// <summary>Names of panels: new ones, and what a new name for an old one changes.</summary>
public static class PanelNaming
{
    private static readonly string[] Reserved = ["user", "record", PageScope.Parameters, PageScope.Failure, "true", "false", "blank"];

    /// <summary>A name like this that no panel of a page has.</summary>
    public static string Fresh(Page page, string wish, IEnumerable<string>? taken = null)
    {
        ArgumentNullException.ThrowIfNull(page);
        return Wording
            .FieldName(wish, page.All.Select(panel => panel.Name).Concat(taken ?? []).Concat(Reserved).Select(name => new FieldName(name)))
            .Value;
    }

    /// <summary>A panel, and those within it, with names that no panel of a page has; what refers to them within follows.</summary>
    public static Panel Renewed(Page page, Panel panel, DatasetCatalogue catalogue)
    {
        ArgumentNullException.ThrowIfNull(page);
        ArgumentNullException.ThrowIfNull(panel);
        var alone = new Page
        {
            Address = page.Address,
            Name = page.Name,
            Parameters = page.Parameters,
            Panels = [panel],
        };
        foreach (var name in panel.All.Select(inner => inner.Name).ToArray())
        {
            if (page.All.Any(known => known.Name.Equals(name, StringComparison.OrdinalIgnoreCase)))
            {
                alone = Rename(
                    alone,
                    name,
                    Fresh(
                        page,
                        name.TrimEnd('0', '1', '2', '3', '4', '5', '6', '7', '8', '9').TrimEnd('_'),
                        alone.All.Select(inner => inner.Name)
                    ),
                    catalogue
                );
            }
        }

        return alone.Panels[0];
    }

    /// <summary>Why a panel cannot have a name; null where it can.</summary>
    public static string? Problem(Page page, string panel, string name)
    {
        ArgumentNullException.ThrowIfNull(page);
        ArgumentNullException.ThrowIfNull(name);
        return !PageSettings.IsName(name) ? "A name has letters, digits and underscores, and begins with a letter."
            : Reserved.Contains(name, StringComparer.OrdinalIgnoreCase) ? $"“{name}” means something else in formulas."
            : page.All.Any(other => other.Name != panel && other.Name.Equals(name, StringComparison.OrdinalIgnoreCase))
                ? $"There is a panel with the name “{name}” on this page already."
            : null;
    }

    /// <summary>The page with a panel called otherwise, and every formula and step that names it.</summary>
    public static Page Rename(Page page, string from, string to, DatasetCatalogue catalogue)
    {
        ArgumentNullException.ThrowIfNull(page);
        var scope = PageScope.Of(page, catalogue, DatasetShapes.Of(catalogue, Grants.ViewEverything), null);
        return PageTree.Each(page, panel =>
        {
            foreach (var setting in panel.Kind.Settings)
            {
                panel = setting.Amended(panel, text =>
                    setting.Kind.Renamed(
                        setting.Kind.Renamed(
                            setting.Kind.Rewritten(text, place => Renamed(scope, panel, place, from, to)),
                            NamedThing.Opening,
                            from,
                            to
                        ),
                        NamedThing.Input,
                        from,
                        to
                    )
                );
            }

            return panel.Name == from ? panel with { Name = to } : panel;
        });
    }

    /// <summary>The app with a page at another address, and every step that leads there.</summary>
    internal static AppDefinition Readdress(AppDefinition app, string from, string to) =>
        app with
        {
            Home = app.Home == from ? to : app.Home,
            Pages =
            [
                .. app
                    .Pages.Select(page =>
                        PageTree.Each(page, panel =>
                            panel.Kind.Settings.Aggregate(panel, (known, setting) =>
                                setting.Amended(known, text => setting.Kind.Renamed(text, NamedThing.Page, from, to))
                            )
                        )
                    )
                    .Select(page => page.Address == from ? page with { Address = to } : page),
            ],
        };

    private static string Renamed(PageScope scope, Panel panel, FormulaPlace place, string from, string to)
    {
        var text = place.Formula;
        foreach (
            var name in scope
                .Check(panel, place)
                .Named.Where(name => name.Name.Equals(from, StringComparison.OrdinalIgnoreCase))
                .OrderByDescending(name => name.Span.Start)
        )
        {
            text = string.Concat(text.AsSpan(0, name.Span.Start), Formatter.Name(to), text.AsSpan(name.Span.Start + name.Span.Length));
        }

        return text;
    }
}
