using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Web.Live.Actions;

namespace Rostrum.Web.Live.Panels.Links;

internal sealed class LinksPanelReader() : PanelReader<LinksPanel>("Links")
{
    protected override Task<object?> ReadAsync(PageRun run, LinksPanel panel, CancellationToken cancellation) =>
        Task.FromResult<object?>(new ActionOffers(run, panel, ActionPlace.List).All.ToImmutableArray());
}
