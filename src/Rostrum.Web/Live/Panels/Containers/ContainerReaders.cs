using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;

namespace Rostrum.Web.Live.Panels.Containers;

// What stands within a container is read with it; of its own it has nothing to read.
internal abstract class ContainerReader<T>(string partial) : PanelReader<T>("Containers") where T : Panel
{
    public override string Partial => $"/Live/Panels/Containers/{partial}.cshtml";

    protected override Task<object?> ReadAsync(PageRun run, T panel, CancellationToken cancellation) => Task.FromResult<object?>(null);
}

internal sealed class SectionReader() : ContainerReader<SectionPanel>("_Section");

internal sealed class SheetReader() : ContainerReader<SheetPanel>("_Opened");

internal sealed class DialogReader() : ContainerReader<DialogPanel>("_Opened");

/// <summary>The tabs, and the one that is open.</summary>
internal sealed record TabsView(System.Collections.Immutable.ImmutableArray<(string Name, string Label, string Address, bool IsOpen)> Tabs);

internal sealed class TabsReader() : PanelReader<TabsPanel>("Containers")
{
    public override string Partial => "/Live/Panels/Containers/_Tabs.cshtml";

    protected override Task<object?> ReadAsync(PageRun run, TabsPanel panel, CancellationToken cancellation)
    {
        var open = run.TabOf(panel);
        return Task.FromResult<object?>(new TabsView([.. from tab in panel.Panels
                                                        where run.Truth(tab, tab.Visible)
                                                        let address = run.Path + (run.State with { Tabs = run.State.Tabs.SetItem(panel.Name, tab.Name) }).ToQuery()
                                                        select (tab.Name, run.Text(tab, tab.Heading) ?? Core.Datasets.Drafting.Wording.Label(tab.Name), address, tab == open)]));
    }
}
