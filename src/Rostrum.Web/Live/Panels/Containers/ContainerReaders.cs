using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.Live.Panels.Containers;

// What stands within a container is read with it; of its own it has nothing to read.
internal abstract class ContainerReader<T>(string partial) : PanelReader<T>("Containers")
    where T : Panel
{
    public override string Partial => $"/Live/Panels/Containers/{partial}.cshtml";

    protected override Task<object?> ReadAsync(PageRun run, T panel, CancellationToken cancellation) => Task.FromResult<object?>(null);
}

internal sealed class SectionReader() : ContainerReader<SectionPanel>("_Section");

internal sealed class SheetReader() : ContainerReader<SheetPanel>("_Opened");

internal sealed class DialogReader() : ContainerReader<DialogPanel>("_Opened");

/// <summary>The tabs, and the one that is open.</summary>
internal sealed record TabsView(ImmutableArray<(string Name, string Label, string Address, bool IsOpen)> Tabs);

internal sealed class TabsReader() : PanelReader<TabsPanel>("Containers")
{
    public override string Partial => "/Live/Panels/Containers/_Tabs.cshtml";

    protected override Task<object?> ReadAsync(PageRun run, TabsPanel panel, CancellationToken cancellation)
    {
        var open = run.ShownAlone(panel);
        var tabs =
            from tab in panel.Panels
            where run.Truth(tab, tab.Visible)
            let address = run.Path + run.State.With(panel.Name, new TabsState(tab.Name)).ToQuery()
            select (tab.Name, run.Text(tab, tab.Heading) ?? Wording.Label(tab.Name), address, tab == open);
        return Task.FromResult<object?>(new TabsView([.. tabs]));
    }
}
