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
