using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Access;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People.Roles;

namespace Rostrum.Web.People.Directory;

/// <summary>Why an address is, or is not, open to a person: where the link leads that a refused page offers.</summary>
internal sealed class ExplainModel(WorkspaceCache workspaces, PublishedApps apps) : PageModel
{
    public Guid Id { get; private set; }

    public PersonEntry Person { get; private set; } = null!;

    /// <summary>The labels of the person's roles.</summary>
    public string Roles { get; private set; } = "";

    public ImmutableArray<string> Lines { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(Guid person, string? path, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (!workspace.People.TryGetValue(person, out var entry))
        {
            return NotFound();
        }

        (Id, Person) = (person, entry);
        Roles = Labels(workspace, entry.Roles.Contains);
        Lines = path?.Split('/', StringSplitOptions.RemoveEmptyEntries) is ["apps", var app, .. var rest]
            ? [.. await OfPageAsync(workspace, app, rest is [var page, ..] ? page.Split('?')[0] : null, cancellation)]
            : [.. OfArea(workspace, path ?? "")];
        return Page();
    }

    private async Task<IEnumerable<string>> OfPageAsync(Workspace workspace, string address, string? page, CancellationToken cancellation)
    {
        if (await apps.LiveAsync(address, cancellation) is not { Definition: var app } || (page is not null && app.Find(page) is null))
        {
            return ["There is no such page."];
        }

        var pages = page is null ? app.Pages : [app.Find(page)!];
        var lines = new List<string>();
        foreach (var shown in pages)
        {
            var seers = Labels(workspace, shown.Audience.Contains);
            var sees = shown.IsFor(Person.Roles);
            lines.Add(
                $"{app.Name}, page {shown.Name}: visible to {(seers.Length == 0 ? "nobody" : seers)}. "
                    + $"{Person.Name} {(sees ? "has one of these roles and sees it" : "has none of these roles, so it is not open")}."
            );
            if (sees)
            {
                lines.AddRange(
                    from id in shown.All.SelectMany(panel => panel.Datasets).Distinct()
                    let dataset = workspace.Datasets.Find(id)
                    where dataset is not null
                    let verbs = workspace.GrantsOf(Person.Roles, Person.AsUser).For(id).Verbs
                    select verbs is Verbs.None
                        ? $"{dataset.Label}: no role gives a right to it."
                        : $"{dataset.Label}: may {string.Join(", ", RightWords.Of(dataset, verbs))}."
                );
            }
        }

        return lines;
    }

    private IEnumerable<string> OfArea(Workspace workspace, string path)
    {
        WorkspacePermissions[] needed = path switch
        {
            _ when path.StartsWith("/people", StringComparison.OrdinalIgnoreCase) => [WorkspacePermissions.ManagePeople],
            _ when path.StartsWith("/build/secrets", StringComparison.OrdinalIgnoreCase) =>
            [
                WorkspacePermissions.BuildApps,
                WorkspacePermissions.ManageSecrets,
            ],
            _ when path.StartsWith("/build/sources", StringComparison.OrdinalIgnoreCase) =>
            [
                WorkspacePermissions.BuildApps,
                WorkspacePermissions.ManageSources,
            ],
            _ when path.StartsWith("/build", StringComparison.OrdinalIgnoreCase) => [WorkspacePermissions.BuildApps],
            _ => [],
        };
        var has = workspace.PermissionsOf(Person.Roles);
        return needed.Length == 0
            ? ["This address is open to everybody who is signed in."]
            : from permission in needed
            let label = OneRoleModel.Permissions.First(known => known.Permission == permission).Label
            let roles = Labels(workspace, name => workspace.Roles.First(role => role.Name == name).Permissions.HasFlag(permission))
            select $"It needs the permission “{label}”, which {roles} {(roles.Contains(',', StringComparison.Ordinal) ? "have" : "has")}. "
                + $"{Person.Name} {(has.HasFlag(permission) ? "has it" : "does not have it")}.";
    }

    private static string Labels(Workspace workspace, Func<string, bool> which) =>
        string.Join(", ", workspace.Roles.Where(role => which(role.Name)).Select(role => role.Label));
}
