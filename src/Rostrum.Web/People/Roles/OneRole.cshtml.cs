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
    private const int MostLines = 40;

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

    /// <summary>What somebody may do in the workspace then and not before, and the other way round.</summary>
    public static IEnumerable<string> Changes(string name, WorkspacePermissions could, WorkspacePermissions can) =>
        Permissions
            .Where(known => could.HasFlag(known.Permission) != can.HasFlag(known.Permission))
            .Select(known =>
                $"{name} {(can.HasFlag(known.Permission) ? "may now" : "may no longer")} {Wording.Uncapitalised(known.Label)}."
            );

    /// <summary>What is ticked.</summary>
    public WorkspacePermissions May { get; private set; }

    /// <summary>The apps that are ticked.</summary>
    public ImmutableArray<Guid> Builds { get; private set; } = [];

    public bool NeedsSecondFactor { get; private set; }

    public bool CanBeChosen { get; private set; }

    /// <summary>Who gains and who loses what by what is about to be saved; null where that was not asked yet, or nothing changes.</summary>
    public Consequences? Consequences { get; private set; }

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

        (Label, May, Builds) = (Role.Label, Role.Permissions, Role.BuildsOnly);
        (NeedsSecondFactor, CanBeChosen) = (Role.NeedsSecondFactor, Role.CanBeChosen);
        return Page();
    }

    public async Task<IActionResult> OnPostAsync(string name, string? label, CancellationToken cancellation)
    {
        if (!await LoadAsync(name, cancellation) || await roles.FindByNameAsync(name) is not { } stored)
        {
            return NotFound();
        }

        var form = Request.Form;
        (NeedsSecondFactor, CanBeChosen) = (form.ContainsKey("second"), form.ContainsKey("chosen"));
        (Label, May, Builds) =
            Role.Name == Store.Role.Owner
                ? (Role.Label, Role.Permissions, Role.BuildsOnly)
                : (
                    Role.IsOurs ? Role.Label : label?.Trim() ?? "",
                    Permissions
                        .Where(known => form["may"].Contains($"{known.Permission}"))
                        .Aggregate(WorkspacePermissions.None, (all, known) => all | known.Permission),
                    [.. Apps.Select(app => app.Id).Where(id => form["builds"].Contains($"{id}"))]
                );
        var workspace = await workspaces.GetAsync(cancellation);
        Problem = Role.IsOurs ? null : RoleLabel.Problem(Label, workspace.Roles.Where(role => role.Name != name));
        if (Problem is not null)
        {
            return Page();
        }

        Consequences = await Consequences.ToShowAsync(form, [$"{May}", .. Builds.Select(app => $"{app}"), $"{NeedsSecondFactor}"], () =>
            Task.FromResult<IReadOnlyList<string>>(ChangesFor(workspace))
        );
        if (Consequences is not null)
        {
            return Page();
        }

        (stored.Label, stored.Permissions, stored.BuildsOnly) = (Label, May, [.. Builds]);
        (stored.NeedsSecondFactor, stored.CanBeChosen) = (NeedsSecondFactor, CanBeChosen);
        await roles.UpdateAsync(stored);
        return Redirect("/people/roles");
    }

    // What whoever holds the role may do in the workspace then, and no longer; and who is asked for a second factor next.
    private List<string> ChangesFor(Workspace workspace)
    {
        var after = workspace with
        {
            Roles =
            [
                .. workspace.Roles.Select(role =>
                    role.Name == Role.Name
                        ? role with
                        {
                            Permissions = May,
                            BuildsOnly = Builds,
                            NeedsSecondFactor = NeedsSecondFactor,
                        }
                        : role
                ),
            ],
        };
        var lines = new List<string>();
        foreach (
            var person in workspace
                .People.Values.Where(person => person.IsActive && person.Roles.Contains(Role.Name))
                .OrderBy(person => person.Name, StringComparer.CurrentCulture)
        )
        {
            var (could, can) = (workspace.PermissionsOf(person.Roles), after.PermissionsOf(person.Roles));
            lines.AddRange(Changes(person.Name, could, can));
            var (built, builds) = (workspace.BuildsOnly(person.Roles), after.BuildsOnly(person.Roles));
            if (can.HasFlag(WorkspacePermissions.BuildApps) && !Same(built, builds))
            {
                var named = Apps.Where(app => builds?.Contains(app.Id) == true).Select(app => app.Name).ToArray();
                lines.Add($"{person.Name} builds {(builds is null ? "every app" : $"{Wording.Listed(named)}, and no other app")}.");
            }

            if (NeedsSecondFactor && !Role.NeedsSecondFactor && !person.HasSecondFactor)
            {
                lines.Add($"{person.Name} turns on a second factor before anything else opens.");
            }
        }

        return lines.Count <= MostLines ? lines : [.. lines.Take(MostLines), $"And {lines.Count - MostLines:N0} changes more."];

        static bool Same(IReadOnlySet<Guid>? one, IReadOnlySet<Guid>? other) => one is null ? other is null : other?.SetEquals(one) == true;
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
