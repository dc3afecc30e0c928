using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Live;

namespace Rostrum.Web.Workflows.Running;

/// <summary>Where records are seen: on the first page of a published app that is about one, or lists them.</summary>
internal sealed class RecordAddresses(PublishedApps apps)
{
    /// <summary>The address of a record; null where no page shows it.</summary>
    public async Task<string?> OfAsync(Workspace workspace, Dataset dataset, RecordKey key, CancellationToken cancellation)
    {
        var text = Uri.EscapeDataString(key.ToText(dataset));
        string? list = null;
        foreach (var entry in workspace.Apps.Where(app => app.LiveVersion is not null))
        {
            if (await apps.LiveAsync(entry.Address, cancellation) is not { } app)
            {
                continue;
            }

            foreach (var page in app.Definition.Pages)
            {
                if (page.ParameterFor(dataset.Id) is { } parameter)
                {
                    return $"/apps/{entry.Address}/{page.Address}?{parameter.Name}={text}";
                }

                list ??= page
                    .All.OfType<ListPanel>()
                    .Where(panel => panel.Dataset == dataset.Id && panel.OnChoice is RowChoice.Sheet)
                    .Select(panel => $"/apps/{entry.Address}/{page.Address}?{panel.Name}.selected={text}")
                    .FirstOrDefault();
            }
        }

        return list;
    }
}
