using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Live;

/// <summary>The apps that the person may open.</summary>
internal sealed class IndexModel(WorkspaceCache workspaces, PublishedApps apps, CurrentPerson person) : PageModel
{
    public sealed record Entry(string Address, string Name, ImmutableArray<string> Pages);

    public ImmutableArray<Entry> Apps { get; private set; } = [];

    public bool MayBuild { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        MayBuild = await person.MayBuildAsync(cancellation);
        var roles = await person.RolesAsync(cancellation);
        var entries = ImmutableArray.CreateBuilder<Entry>();
        foreach (var entry in (await workspaces.GetAsync(cancellation)).Apps)
        {
            if (await apps.LiveAsync(entry.Address, cancellation) is { } app
                && app.Definition.Pages.Where(page => page.IsFor(roles)).ToArray() is { Length: > 0 } pages)
            {
                entries.Add(new Entry(entry.Address, app.Definition.Name, [.. pages.Select(page => page.Name)]));
            }
        }

        Apps = entries.ToImmutable();
    }
}
