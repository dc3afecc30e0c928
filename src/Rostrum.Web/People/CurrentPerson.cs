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

    public async ValueTask<bool> MayBuildAsync(CancellationToken cancellation)
    {
        var roles = await RolesAsync(cancellation);
        return roles.Contains(Role.Builder) || roles.Contains(Role.Owner);
    }

    public async ValueTask<Grants> GrantsAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var entry = Id is { } id ? workspace.People.GetValueOrDefault(id) : null;
        return workspace.GrantsOf(await RolesAsync(cancellation), entry?.AsUser);
    }

    /// <summary>What somebody could do who had one role only, and otherwise were this person.</summary>
    public async ValueTask<Grants> GrantsAsAsync(string role, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var entry = Id is { } id ? workspace.People.GetValueOrDefault(id) : null;
        return workspace.GrantsOf(new HashSet<string> { role }, entry is null ? null : entry.AsUser with { Roles = [role] });
    }

    /// <summary>Whether the person has tables of an app's page otherwise than their builder.</summary>
    public async ValueTask<bool> HasOwnTablesAsync(string app, string page, CancellationToken cancellation) =>
        Id is { } id && (await workspaces.GetAsync(cancellation)).PersonalPages.Contains((id, app, page));

    public async ValueTask<ImmutableArray<RoleEntry>> AllRolesAsync(CancellationToken cancellation) => (await workspaces.GetAsync(cancellation)).Roles;
}
