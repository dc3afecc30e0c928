using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Panels;

/// <summary>Ways to other pages and addresses.</summary>
public sealed record LinksPanel : Panel, IPanelKind
{
    /// <summary>The links: what leads to one page or address alone is a link, all else a button.</summary>
    public ImmutableArray<NamedAction> Links { get; init; } = [];

    /// <inheritdoc/>
    public override IEnumerable<(ActionPlace Place, NamedAction Action)> Actions => Links.Select(action => (ActionPlace.List, action));

    /// <inheritdoc/>
    public override IEnumerable<AppProblem> Problems(PanelPlace place) =>
        Links.IsEmpty ? [Lacks("links", "It has no links.", warns: true)] : [];

    /// <inheritdoc/>
    public static new PanelKind Kind { get; } =
        new(
            "Links",
            "Links to other pages and addresses",
            "link-45deg",
            (name, _) => new LinksPanel { Name = name, Width = 3 },
            [
                SettingsOf<LinksPanel>.Actions(
                    "links",
                    "Links",
                    SettingPart.Content,
                    overRecord: false,
                    panel => panel.Links,
                    (panel, actions) => panel with { Links = actions }
                ),
            ]
        );
}
