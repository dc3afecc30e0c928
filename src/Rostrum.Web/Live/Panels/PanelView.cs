using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.State;

namespace Rostrum.Web.Live.Panels;

/// <summary>What a panel shows, which can be so little that the panel is not there.</summary>
internal interface ICanBeAway
{
    bool IsAway { get; }
}

/// <summary>A panel as it is shown.</summary>
/// <param name="Panel">The panel.</param>
/// <param name="Run">The look at its page.</param>
internal sealed record PanelView(Panel Panel, PageRun Run)
{
    /// <summary>It is there: it is visible, and open where it opens.</summary>
    public bool IsThere { get; init; } = true;

    /// <summary>It was not read in time, and comes by itself.</summary>
    public bool IsLate { get; init; }

    /// <summary>Its heading, where it has one of its own.</summary>
    public string? Heading { get; init; }

    /// <summary>What its partial shows.</summary>
    public object? Content { get; init; }

    /// <summary>What stands within it.</summary>
    public ImmutableArray<PanelView> Inner { get; init; } = [];

    /// <summary>Why it cannot be shown.</summary>
    public string? Problem { get; init; }

    /// <summary>The partial that shows it.</summary>
    public string Partial { get; init; } = "";

    public string Id => $"panel-{Panel.Name}";

    public string Classes =>
        $"panel g-col-12{(Panel.Width <= 6 ? " g-col-sm-6" : "")} g-col-lg-{Panel.Width}{(Panel.NewRow ? " g-start-lg-1" : "")}";

    public string Address(PageState state) => Run.Path + state.ToQuery();
}
