using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.People.Viewing;

namespace Rostrum.Web.Live;

/// <summary>Everything that has a name, for the command line: what one uses, and for builders what one makes.</summary>
internal sealed class CommandsModel(
    RostrumStore store,
    Drafts drafts,
    WorkspaceCache workspaces,
    PublishedApps apps,
    CurrentPerson person,
    ViewAs viewAs
) : PageModel
{
    public async Task<IActionResult> OnGetAsync(CancellationToken cancellation)
    {
        var entries = new List<CommandEntry> { new("All your apps", "command", "/") };
        var roles = (await viewAs.SeenAsync(cancellation))?.Roles ?? await person.RolesAtWorkAsync(cancellation);
        foreach (var known in (await workspaces.GetAsync(cancellation)).Apps)
        {
            if (await apps.LiveAsync(known.Address, cancellation) is { } app)
            {
                entries.AddRange(
                    app.Definition.Pages.Where(page => page.IsFor(roles) && !page.Unlisted)
                        .Select(page => new CommandEntry(
                            page.Name,
                            $"page of {app.Definition.Name}",
                            $"/apps/{known.Address}/{page.Address}"
                        ))
                );
            }
        }

        entries.Add(new("Inbox, and what you watch", "command", "/inbox"));
        entries.Add(new("Your account", "command", "/account"));
        if (await person.MayBuildAsync(cancellation))
        {
            await AddBuildAsync(entries, cancellation);
        }

        if (await viewAs.MayAsync(cancellation))
        {
            entries.Add(new("View as a role or a person", "command", "/view-as"));
        }

        if (await person.MayAsync(WorkspacePermissions.ReadAudit, cancellation))
        {
            entries.Add(new("Audit", "command", "/people/audit"));
        }

        if (await person.MayAsync(WorkspacePermissions.ManagePeople, cancellation))
        {
            entries.AddRange([
                new("People", "command", "/people"),
                new("Groups", "command", "/people/groups"),
                new("Roles", "command", "/people/roles"),
                new("Attributes of people", "command", "/people/attributes"),
                new("Invite people", "command", "/people/invitations"),
            ]);
        }

        return new JsonResult(entries);
    }

    private async Task AddBuildAsync(List<CommandEntry> entries, CancellationToken cancellation)
    {
        var only = await person.BuildsOnlyAsync(cancellation);
        entries.Add(new("Build", "command", "/build"));
        foreach (var app in (await drafts.AllAsync(store, cancellation)).Where(app => only is null || only.Contains(app.Id)))
        {
            entries.Add(new(app.Draft.Name, "app in Build", $"/build/apps/{app.Address}"));
            entries.AddRange(
                app.Draft.Pages.Select(page => new CommandEntry(
                    page.Name,
                    $"page of {app.Draft.Name} in Build",
                    $"/build/apps/{app.Address}/pages/{page.Address}"
                ))
            );
        }

        if (only is not null)
        {
            return;
        }

        entries.AddRange([new("New app", "command", "/build/apps/new"), new("Connect a source", "command", "/build/sources/new")]);
        entries.AddRange(
            (await store.Sources.AsNoTracking().Select(source => new { source.Id, source.Name }).ToListAsync(cancellation)).Select(
                source => new CommandEntry(source.Name, "source", $"/build/sources/{source.Id:N}")
            )
        );
        foreach (var dataset in (await store.DatasetsAsync(cancellation)).All)
        {
            entries.Add(CommandEntry.Of(dataset));
            entries.AddRange(CommandEntry.FieldsOf(dataset));
        }
    }
}
