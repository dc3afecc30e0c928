using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Live;

/// <summary>Everything that has a name, for the command line: what one uses, and for builders what one makes.</summary>
internal sealed class CommandsModel(
    RostrumStore store,
    Drafts drafts,
    WorkspaceCache workspaces,
    PublishedApps apps,
    CurrentPerson person) : PageModel
{
    public sealed record Entry(string Words, string Kind, string Go);

    public async Task<IActionResult> OnGetAsync(CancellationToken cancellation)
    {
        var entries = new List<Entry> { new("All your apps", "command", "/") };
        var roles = await person.RolesAsync(cancellation);
        foreach (var known in (await workspaces.GetAsync(cancellation)).Apps)
        {
            if (await apps.LiveAsync(known.Address, cancellation) is { } app)
            {
                entries.AddRange(app.Definition.Pages
                    .Where(page => page.IsFor(roles) && !page.Unlisted)
                    .Select(page => new Entry(page.Name, $"page of {app.Definition.Name}", $"/apps/{known.Address}/{page.Address}")));
            }
        }

        if (await person.MayBuildAsync(cancellation))
        {
            await AddBuildAsync(entries, cancellation);
        }

        return new JsonResult(entries);
    }

    private async Task AddBuildAsync(List<Entry> entries, CancellationToken cancellation)
    {
        entries.AddRange(
        [
            new("Build", "command", "/build"), new("New app", "command", "/build/apps/new"), new("Connect a database", "command", "/build/sources/new"),
        ]);
        foreach (var app in await drafts.AllAsync(store, cancellation))
        {
            entries.Add(new(app.Draft.Name, "app in Build", $"/build/apps/{app.Address}"));
            entries.AddRange(app.Draft.Pages.Select(page =>
                new Entry(page.Name, $"page of {app.Draft.Name} in Build", $"/build/apps/{app.Address}/pages/{page.Address}")));
        }

        entries.AddRange((await store.Sources.AsNoTracking().Select(source => new { source.Id, source.Name }).ToListAsync(cancellation))
            .Select(source => new Entry(source.Name, "source", $"/build/sources/{source.Id:N}")));
        foreach (var dataset in (await store.DatasetsAsync(cancellation)).All)
        {
            entries.Add(new(dataset.Label, "dataset", $"/build/sources/{dataset.Source}/{dataset.Id}"));
            entries.AddRange(dataset.Fields.Select(field =>
                new Entry(dataset.LabelOf(field.Name), $"field of {dataset.LabelInSentence}", $"/build/sources/{dataset.Source}/{dataset.Id}?field={field.Name}")));
        }
    }
}
