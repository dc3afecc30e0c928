using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Security.Claims;
using Rostrum.Core.Access;
using Rostrum.Store;
using Rostrum.Web.Live.Public;

namespace Rostrum.Web.People;

/// <summary>Who is signed in, and what that person may do at this moment.</summary>
internal sealed class CurrentPerson(IHttpContextAccessor context, WorkspaceCache workspaces, PersonRecords records)
{
    // Asked several times for one page.
    private WorkspacePermissions? _permissions;

    private ClaimsPrincipal? Principal => context.HttpContext?.User;

    /// <summary>The person's identity; null where nobody is signed in.</summary>
    public Guid? Id => Guid.TryParse(Principal?.FindFirstValue(ClaimTypes.NameIdentifier), out var id) ? id : null;

    public async ValueTask<string> NameAsync(CancellationToken cancellation) =>
        Id is { } id && (await workspaces.GetAsync(cancellation)).People.TryGetValue(id, out var entry) ? entry.Name : "";

    public async ValueTask<FrozenSet<string>> RolesAsync(CancellationToken cancellation) =>
        Id is { } id ? (await workspaces.GetAsync(cancellation)).RolesOf(id)
        : context.HttpContext.PublicLink() is { } link ? FrozenSet.Create(link.Role)
        : FrozenSet<string>.Empty;

    /// <summary>In whose name something is kept for a while: the person's, or that of the public link by which somebody came.</summary>
    public Guid KeepsAs => Id ?? context.HttpContext.PublicLink()?.Id ?? Guid.Empty;

    /// <summary>The roles with which the person works with the apps: all of theirs, or the one that they have chosen.</summary>
    public async ValueTask<FrozenSet<string>> RolesAtWorkAsync(CancellationToken cancellation) =>
        Id is { } id && (await workspaces.GetAsync(cancellation)).People.GetValueOrDefault(id) is { } entry
            ? entry.RolesAtWork
            : await RolesAsync(cancellation);

    /// <summary>The roles of which the person may choose one to work in; none where there is nothing to choose.</summary>
    public async ValueTask<ImmutableArray<RoleEntry>> RolesToChooseAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var held = await RolesAsync(cancellation);
        return held.Count < 2 ? [] : [.. workspace.Roles.Where(role => role.CanBeChosen && held.Contains(role.Name))];
    }

    /// <summary>Whether the person may do something with the workspace.</summary>
    public async ValueTask<bool> MayAsync(WorkspacePermissions permission, CancellationToken cancellation)
    {
        _permissions ??= Id is null
            ? WorkspacePermissions.None
            : (await workspaces.GetAsync(cancellation)).PermissionsOf(await RolesAsync(cancellation));
        return _permissions.Value.HasFlag(permission);
    }

    public ValueTask<bool> MayBuildAsync(CancellationToken cancellation) => MayAsync(WorkspacePermissions.BuildApps, cancellation);

    /// <summary>Whether the person may build one app.</summary>
    public async ValueTask<bool> MayBuildAsync(string app, CancellationToken cancellation) =>
        await MayBuildAsync(cancellation)
        && (
            await BuildsOnlyAsync(cancellation) is not { } only
            || (await workspaces.GetAsync(cancellation)).Apps.Any(known => known.Address == app && only.Contains(known.Id))
        );

    /// <summary>The apps that the person may build; null where they may build all, and other things in Build.</summary>
    public async ValueTask<FrozenSet<Guid>?> BuildsOnlyAsync(CancellationToken cancellation) =>
        (await workspaces.GetAsync(cancellation)).BuildsOnly(await RolesAsync(cancellation));

    public async ValueTask<bool> IsOwnerAsync(CancellationToken cancellation) => (await RolesAsync(cancellation)).Contains(Role.Owner);

    /// <summary>A role of the person's asks for a second factor, and there is none: nothing but the account is open then.</summary>
    public async ValueTask<bool> LacksSecondFactorAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        return Id is { } id
            && !Principal!.HasClaim(claim => claim.Type == SessionClaim.SecondFactor)
            && workspace.People.GetValueOrDefault(id) is { HasSecondFactor: false } entry
            && workspace.Roles.Any(role => role.NeedsSecondFactor && entry.Roles.Contains(role.Name));
    }

    public async ValueTask<Grants> GrantsAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var entry = Id is { } id ? workspace.People.GetValueOrDefault(id) : null;
        var user = entry?.AsUser ?? (context.HttpContext.PublicLink() is { } link ? workspace.Anybody with { Roles = [link.Role] } : null);
        var roles = await RolesAtWorkAsync(cancellation);
        user = user is null || roles.Count == user.Roles.Length ? user : user with { Roles = [.. roles] };
        return await records.GrantsOfAsync(workspace, roles, user, cancellation);
    }

    /// <summary>Whether there may be something that the person has not read: they watch something, or workflows tell people.</summary>
    public async ValueTask<bool> MayBeToldAsync(CancellationToken cancellation) =>
        Id is { } id
        && await workspaces.GetAsync(cancellation) is var workspace
        && (workspace.Watchers.Contains(id) || !workspace.Workflows.IsEmpty);

    /// <summary>Whether the person has tables of an app's page otherwise than their builder.</summary>
    public async ValueTask<bool> HasOwnTablesAsync(string app, string page, CancellationToken cancellation) =>
        Id is { } id && (await workspaces.GetAsync(cancellation)).PersonalPages.Contains((id, app, page));
}

/// <summary>Who asks for what is saved, for the audit.</summary>
internal sealed class Actor(IHttpContextAccessor context) : IActor
{
    public bool Asks => context.HttpContext is not null;

    public Guid? Id => Guid.TryParse(context.HttpContext?.User.FindFirstValue(ClaimTypes.NameIdentifier), out var id) ? id : null;
}
