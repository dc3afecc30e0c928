using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.People.Directory;

/// <summary>A group's name and roles. What its people gain and lose is said before it is saved.</summary>
internal sealed class OneGroupModel(RostrumStore store, WorkspaceCache workspaces, AccessEffects effects) : PageModel
{
    private const int MostLines = 40;

    public GroupEntry Group { get; private set; } = null!;

    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    public ImmutableHashSet<string> Chosen { get; private set; } = [];

    public ImmutableArray<(Guid Id, string Name)> Members { get; private set; } = [];

    public string Label { get; private set; } = "";

    public string? Problem { get; private set; }

    public Consequences? Consequences { get; private set; }

    public async Task<IActionResult> OnGetAsync(string name, CancellationToken cancellation)
    {
        if (await LoadAsync(name, cancellation) is null)
        {
            return NotFound();
        }

        (Label, Chosen) = (Group.Label, [.. Group.Roles]);
        return Page();
    }

    public async Task<IActionResult> OnPostAsync(string name, string? label, CancellationToken cancellation)
    {
        if (await LoadAsync(name, cancellation) is not { } workspace)
        {
            return NotFound();
        }

        Label = label?.Trim() ?? "";
        Chosen = [.. Request.Form["role"].OfType<string>().Where(role => Roles.Any(known => known.Name == role))];
        Problem = GroupsModel.ProblemOf(Label, workspace.Groups.Where(group => group.Name != name)) ?? LastOwner(workspace, Chosen);
        if (Problem is not null)
        {
            return Page();
        }

        Consequences = await Consequences.ToShowAsync(Request.Form, Chosen.Order(StringComparer.Ordinal), async () =>
            await LinesAsync(workspace, cancellation)
        );
        if (Consequences is not null)
        {
            return Page();
        }

        await store.SaveOnNewestAsync(
            async () =>
            {
                if (await store.Groups.FirstOrDefaultAsync(group => group.Name == name, cancellation) is { } stored)
                {
                    (stored.Label, stored.Roles) = (Label, [.. Chosen.Order(StringComparer.Ordinal)]);
                }
            },
            cancellation
        );
        return Redirect("/people/groups");
    }

    public async Task<IActionResult> OnPostRemoveAsync(string name, CancellationToken cancellation)
    {
        if (await LoadAsync(name, cancellation) is not { } workspace)
        {
            return NotFound();
        }

        (Label, Chosen) = (Group.Label, [.. Group.Roles]);
        Problem = LastOwner(workspace, []);
        if (Problem is not null)
        {
            return Page();
        }

        if (await store.Groups.FirstOrDefaultAsync(group => group.Name == name, cancellation) is { } stored)
        {
            store.Groups.Remove(stored);
            await store.SaveChangesAsync(cancellation);
        }

        TempData["note"] = $"The group {Group.Label} is removed.";
        return Redirect("/people/groups");
    }

    // The group may be what makes the only owner one.
    private string? LastOwner(Workspace workspace, ImmutableHashSet<string> roles) =>
        roles.Contains(Role.Owner)
        || workspace.People.Any(person =>
            person.Value.IsActive
            && person.Value.Roles.Contains(Role.Owner)
            && RolesWithout(workspace, person.Value, roles).Contains(Role.Owner)
        )
            ? null
            : "Nobody would be an owner. Make somebody an owner first.";

    private ImmutableHashSet<string> RolesWithout(Workspace workspace, PersonEntry person, IEnumerable<string> roles) =>
        [
            .. person.OwnRoles,
            .. workspace
                .Groups.Where(group => group.Name != Group.Name && person.Groups.Contains(group.Name))
                .SelectMany(group => group.Roles),
            .. person.Groups.Contains(Group.Name) ? roles : [],
        ];

    private async Task<List<string>> LinesAsync(Workspace workspace, CancellationToken cancellation)
    {
        var lines = new List<string>();
        foreach (var (id, _) in Members)
        {
            var person = workspace.People[id];
            var roles = RolesWithout(workspace, person, Chosen);
            if (!roles.SetEquals(person.Roles))
            {
                var after = person.AsUser with { Roles = [.. roles.Order(StringComparer.Ordinal)] };
                lines.AddRange(await effects.OfPersonAsync(workspace, id, after, cancellation));
            }

            if (lines.Count >= MostLines)
            {
                lines.Add("And more, for the other people of the group.");
                break;
            }
        }

        return lines;
    }

    private async Task<Workspace?> LoadAsync(string name, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (workspace.Groups.FirstOrDefault(group => group.Name == name) is not { } group)
        {
            return null;
        }

        (Group, Roles) = (group, workspace.Roles);
        Members =
        [
            .. workspace
                .People.Where(person => person.Value.Groups.Contains(name))
                .Select(person => (person.Key, person.Value.Name))
                .OrderBy(person => person.Name, StringComparer.CurrentCulture),
        ];
        return workspace;
    }
}
