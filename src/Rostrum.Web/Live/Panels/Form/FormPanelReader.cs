using Rostrum.Core.Apps.Panels;
using Rostrum.Web.Live.Sheet;

namespace Rostrum.Web.Live.Panels.Form;

internal sealed class FormPanelReader() : PanelReader<FormPanel>("Form")
{
    protected override async Task<object?> ReadAsync(PageRun run, FormPanel panel, CancellationToken cancellation) =>
        run.Forms.GetValueOrDefault(panel.Name) ?? await new FormReader(run).ReadAsync(panel, cancellation);
}
