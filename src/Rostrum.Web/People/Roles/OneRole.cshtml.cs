using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People.Directory;

namespace Rostrum.Web.People.Roles;

/// <summary>A role's name, and its end: what depends on it is said first.</summary>
internal sealed class OneRoleModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    Drafts drafts,
    PublishedApps apps,
    RoleManager<Role> roles
) : PageModel
{
    /// <summary>What ends, or changes, with the role.</summary>
    public sealed record Use(string Says, string? Address = null);

    public RoleEntry Role { get; private set; } = null!;

    public string Label { get; private set; } = "";

    public string? Problem { get; private set; }

    /// <summary>What a role may do with the workspace, as people read it.</summary>
    public static readonly (WorkspacePermissions Permission, string Label)[] Permissions =
    [
        (WorkspacePermissions.BuildApps, "Build apps"),
        (WorkspacePermissions.ManageSources, "Manage sources"),
        (WorkspacePermissions.ManageSecrets, "Set secrets"),
        (WorkspacePermissions.ManageRights, "Set rights to records"),
        (WorkspacePermissions.ManagePeople, "Manage people and roles"),
        (WorkspacePermissions.ReadAudit, "Read the audit"),
    ];

    /// <summary>The apps that there are.</summary>
    public ImmutableArray<AppEntry> Apps { get; private set; } = [];

    /// <summary>What the role may do with one dataset.</summary>
    public sealed record Right(Dataset Dataset, string Verbs, ImmutableArray<string> Limits);

    /// <summary>Its rights, by the labels of the datasets.</summary>
    public ImmutableArray<Right> Rights { get; private set; } = [];

    public ImmutableArray<Use> Uses { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(string name, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation))
        {
            return NotFound();
        }

        Label = Role.Label;
        return Page();
    }

    public async Task<IActionResult> OnPostAsync(string name, string? label, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation) || await roles.FindByNameAsync(name) is not { } stored)
        {
            return NotFound();
        }

        var needsSecondFactor = Request.Form.ContainsKey("second");
        if (Role.Name != Store.Role.Owner)
        {
            stored.Permissions = Permissions
                .Where(known => Request.Form["may"].Contains($"{known.Permission}"))
                .Aggregate(WorkspacePermissions.None, (all, known) => all | known.Permission);
            stored.BuildsOnly = [.. Apps.Select(app => app.Id).Where(id => Request.Form["builds"].Contains($"{id}"))];
        }

        stored.CanBeChosen = Request.Form.ContainsKey("chosen");
        if (Role.IsOurs)
        {
            stored.NeedsSecondFactor = needsSecondFactor;
            await roles.UpdateAsync(stored);
            return Redirect("/people/roles");
        }

        Label = label?.Trim() ?? "";
        Problem = RoleLabel.Problem(Label, (await workspaces.GetAsync(cancellation)).Roles.Where(role => role.Name != name));
        if (Problem is not null)
        {
            return Page();
        }

        (stored.Label, stored.NeedsSecondFactor) = (Label, needsSecondFactor);
        await roles.UpdateAsync(stored);
        return Redirect("/people/roles");
    }

    public async Task<IActionResult> OnPostRemoveAsync(string name, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation) || Role.IsOurs || await roles.FindByNameAsync(name) is not { } stored)
        {
            return NotFound();
        }

        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        store.Policies.RemoveRange(await store.Policies.Where(policy => policy.Role == name).ToListAsync(cancellation));
        await roles.DeleteAsync(stored);
        await transaction.CommitAsync(cancellation);
        return Redirect("/people/roles");
    }

    private async Task<bool> LoadAsync(string name, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        if (workspace.Roles.FirstOrDefault(role => role.Name == name) is not { } role)
        {
            return false;
        }

        Role = role;
        Apps = [.. workspace.Apps.OrderBy(app => app.Name, StringComparer.CurrentCulture)];
        Rights =
        [
            .. from policy in workspace.Policies
            where policy.Role == name && policy.Verbs is not Verbs.None
            let dataset = workspace.Datasets.Find(policy.Dataset)
            where dataset is not null
            orderby dataset.Label
            select new Right(dataset, string.Join(", ", RightWords.Of(dataset, policy.Verbs)), [.. RightWords.Limits(policy)]),
        ];
        var uses = ImmutableArray.CreateBuilder<Use>();
        var holders = workspace.People.Values.Where(person => person.Roles.Contains(name)).Select(person => person.Name).Order().ToArray();
        if (holders.Length > 0)
        {
            uses.Add(
                new Use($"{(holders.Length == 1 ? "1 person loses" : $"{holders.Length} people lose")} it: {Wording.Several(holders)}.")
            );
        }

        var datasets = workspace
            .Policies.Where(policy => policy.Role == name)
            .Select(policy => workspace.Datasets.Find(policy.Dataset)?.Label)
            .OfType<string>()
            .Distinct()
            .Order()
            .ToArray();
        if (datasets.Length > 0)
        {
            uses.Add(
                new Use(
                    $"Its rights to {datasets.Length} {(datasets.Length == 1 ? "dataset" : "datasets")} end: {Wording.Several(datasets)}."
                )
            );
        }

        foreach (var app in await drafts.AllAsync(store, cancellation))
        {
            var live = await apps.LiveAsync(app.Address, cancellation);
            var pages = app
                .Draft.Pages.Concat(live?.Definition.Pages ?? [])
                .Where(page => page.Audience.Contains(name))
                .Select(page => page.Name)
                .Distinct()
                .ToArray();
            if (pages.Length > 0)
            {
                uses.Add(new Use($"{app.Draft.Name} shows it {Wording.Several(pages)}.", $"/build/apps/{app.Address}"));
            }
        }

        Uses = uses.ToImmutable();
        return true;
    }
}
