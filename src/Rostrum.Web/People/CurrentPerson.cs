using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Security.Claims;
using Rostrum.Core.Access;
using Rostrum.Store;

namespace Rostrum.Web.People;

/// <summary>Who is signed in, and what that person may do at this moment.</summary>
internal sealed class CurrentPerson(IHttpContextAccessor context, WorkspaceCache workspaces)
{
    private ClaimsPrincipal? Principal => context.HttpContext?.User;

    /// <summary>The person's identity; null where nobody is signed in.</summary>
    public Guid? Id => Guid.TryParse(Principal?.FindFirstValue(ClaimTypes.NameIdentifier), out var id) ? id : null;

    public async ValueTask<string> NameAsync(CancellationToken cancellation) =>
        Id is { } id && (await workspaces.GetAsync(cancellation)).People.TryGetValue(id, out var entry) ? entry.Name : "";

    public async ValueTask<FrozenSet<string>> RolesAsync(CancellationToken cancellation) =>
        Id is { } id ? (await workspaces.GetAsync(cancellation)).RolesOf(id) : FrozenSet<string>.Empty;

    /// <summary>Whether the person may do something with the workspace.</summary>
    public async ValueTask<bool> MayAsync(WorkspacePermissions permission, CancellationToken cancellation) =>
        (await workspaces.GetAsync(cancellation)).PermissionsOf(await RolesAsync(cancellation)).HasFlag(permission);

    public ValueTask<bool> MayBuildAsync(CancellationToken cancellation) => MayAsync(WorkspacePermissions.BuildApps, cancellation);

    public async ValueTask<bool> IsOwnerAsync(CancellationToken cancellation) => (await RolesAsync(cancellation)).Contains(Role.Owner);

    /// <summary>A role of the person's asks for a second factor, and there is none: nothing but the account is open then.</summary>
    public async ValueTask<bool> LacksSecondFactorAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        return Id is { } id
            && workspace.People.GetValueOrDefault(id) is { HasSecondFactor: false } entry
            && workspace.Roles.Any(role => role.NeedsSecondFactor && entry.Roles.Contains(role.Name));
    }

    public async ValueTask<Grants> GrantsAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var entry = Id is { } id ? workspace.People.GetValueOrDefault(id) : null;
        return workspace.GrantsOf(await RolesAsync(cancellation), entry?.AsUser);
    }

    /// <summary>
    /// Through whose eyes a draft can be seen: each role's, as this person would be with it alone, and those of the people who have one of
    /// some roles.
    /// </summary>
    public async ValueTask<ImmutableArray<Onlooker>> OnlookersAsync(IReadOnlySet<string> roles, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var self = Id is { } id ? workspace.People.GetValueOrDefault(id)?.AsUser : null;
        return
        [
            .. workspace.Roles.Select(role => new Onlooker(
                role.Name,
                role.Label,
                false,
                new HashSet<string> { role.Name },
                self is null ? null : self with { Roles = [role.Name] }
            )),
            .. workspace
                .People.Where(person => person.Key != Id && person.Value.Roles.Overlaps(roles))
                .OrderBy(person => person.Value.Name, StringComparer.CurrentCulture)
                .Select(person => new Onlooker($"{person.Key:N}", person.Value.Name, true, person.Value.Roles, person.Value.AsUser)),
        ];
    }

    /// <summary>What somebody may do through whose eyes a draft is seen.</summary>
    public async ValueTask<Grants> GrantsAsync(Onlooker onlooker, CancellationToken cancellation) =>
        (await workspaces.GetAsync(cancellation)).GrantsOf(onlooker.Roles, onlooker.User);

    /// <summary>Whether the person has tables of an app's page otherwise than their builder.</summary>
    public async ValueTask<bool> HasOwnTablesAsync(string app, string page, CancellationToken cancellation) =>
        Id is { } id && (await workspaces.GetAsync(cancellation)).PersonalPages.Contains((id, app, page));
}

/// <summary>Somebody through whose eyes a draft is seen.</summary>
/// <param name="Name">What an address calls them: a role's name, or a person's identity.</param>
/// <param name="Label">What people read.</param>
/// <param name="IsPerson">A person, with what the workspace keeps of people; otherwise a role.</param>
/// <param name="Roles">The roles.</param>
/// <param name="User">Who formulas take for the one who is signed in.</param>
internal sealed record Onlooker(string Name, string Label, bool IsPerson, IReadOnlySet<string> Roles, SignedIn? User);
