using System.Collections.Immutable;
using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using Rostrum.Core.Access;
using Rostrum.Store;
using Rostrum.Web.People.Auditing;

namespace Rostrum.Web.People.Viewing;

/// <summary>
/// Looking at apps, live or as a draft, through the eyes of a role or of another person: for builders and owners, read-only until they say
/// otherwise, marked on the screen and written down. The browser keeps through whose, in a cookie that only Rostrum can make.
/// </summary>
internal sealed class ViewAs(
    IHttpContextAccessor context,
    CurrentPerson person,
    WorkspaceCache workspaces,
    PersonRecords records,
    IDataProtectionProvider protection,
    Audit audit
)
{
    /// <summary>What is said where something would be changed while one looks through somebody else's eyes.</summary>
    public const string ReadOnly =
        "Nothing was saved: you are viewing as somebody else. Choose “Allow changes” above to change records in your own name.";

    private const string Cookie = "view-as";
    private const string Changes = "changes";
    private const int MostPeople = 50;
    private static readonly TimeSpan Longest = TimeSpan.FromHours(8);

    // Most requests come without the cookie.
    private ITimeLimitedDataProtector Protector => field ??= protection.CreateProtector("view-as").ToTimeLimitedDataProtector();

    private Seen? _seen;

    private sealed record Seen(Onlooker? Onlooker, bool AllowsChanges);

    private HttpContext Http => context.HttpContext!;

    /// <summary>Whether the person may look through others' eyes.</summary>
    public async ValueTask<bool> MayAsync(CancellationToken cancellation) =>
        await person.MayBuildAsync(cancellation) || await person.MayAsync(WorkspacePermissions.ManageRights, cancellation);

    /// <summary>Through whose eyes the person looks at this moment; null where through their own.</summary>
    public async ValueTask<Onlooker?> SeenAsync(CancellationToken cancellation) => (await NowAsync(cancellation)).Onlooker;

    /// <summary>Whether records may be changed meanwhile, in the person's own name.</summary>
    public async ValueTask<bool> AllowsChangesAsync(CancellationToken cancellation) => (await NowAsync(cancellation)).AllowsChanges;

    /// <summary>
    /// What is seen through somebody's eyes. Who may set rights sees what they see; who may not sees no more of it than they may
    /// themselves.
    /// </summary>
    public async ValueTask<Grants> GrantsAsync(Onlooker onlooker, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var theirs = await records.GrantsOfAsync(workspace, onlooker.Roles, onlooker.User, cancellation);
        if (await person.MayAsync(WorkspacePermissions.ManageRights, cancellation))
        {
            return theirs;
        }

        var own = await person.GrantsAsync(cancellation);
        return new Grants(own.Rights.And(theirs.Rights), own.User);
    }

    /// <summary>
    /// Those who are offered: each role, as this person would be with it alone, and people whose name or mail holds a text.
    /// </summary>
    /// <param name="search">A part of a person's name or mail; everybody where it is blank.</param>
    /// <param name="roles">Only people with one of these roles; any where null.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async ValueTask<ImmutableArray<Onlooker>> OffersAsync(string search, IReadOnlySet<string>? roles, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        return
        [
            .. workspace.Roles.Where(role => Has(role.Label)).Select(role => OfRole(workspace, role)),
            .. workspace
                .People.Where(other =>
                    other.Key != person.Id
                    && other.Value.IsActive
                    && (roles is null || other.Value.Roles.Overlaps(roles))
                    && (Has(other.Value.Name) || Has(other.Value.Email ?? ""))
                )
                .OrderBy(other => other.Value.Name, StringComparer.CurrentCulture)
                .Take(MostPeople)
                .Select(other => OfPerson(other.Key, other.Value)),
        ];

        bool Has(string text) => text.Contains(search, StringComparison.CurrentCultureIgnoreCase);
    }

    /// <summary>Begins to look through somebody's eyes, and writes that down; false where there is nobody of that name.</summary>
    public async Task<bool> BeginAsync(string name, CancellationToken cancellation)
    {
        if (Find(await workspaces.GetAsync(cancellation), name) is not { } onlooker)
        {
            return false;
        }

        await audit.WriteAsync(AuditKind.Viewing, onlooker.Label, $"Viewed apps as {onlooker.Said}.", cancellation);
        Keep(name, allowsChanges: false);
        return true;
    }

    /// <summary>Allows changes of records in the person's own name, or allows them no longer.</summary>
    public async Task AllowAsync(bool changes, CancellationToken cancellation)
    {
        if (await SeenAsync(cancellation) is not { } onlooker)
        {
            return;
        }

        if (changes)
        {
            await audit.WriteAsync(AuditKind.Viewing, onlooker.Label, $"Allowed changes while viewing as {onlooker.Said}.", cancellation);
        }

        Keep(onlooker.Name, changes);
    }

    /// <summary>Looks through the person's own eyes again.</summary>
    public void End() => Http.Response.Cookies.Delete(Cookie);

    private void Keep(string name, bool allowsChanges) =>
        Http.Response.Cookies.Append(
            Cookie,
            Protector.Protect($"{person.Id:N} {(allowsChanges ? Changes : "")} {name}", Longest),
            new CookieOptions
            {
                HttpOnly = true,
                SameSite = SameSiteMode.Strict,
                Secure = Http.Request.IsHttps,
            }
        );

    private async ValueTask<Seen> NowAsync(CancellationToken cancellation) => _seen ??= await ReadAsync(cancellation);

    private async ValueTask<Seen> ReadAsync(CancellationToken cancellation)
    {
        var nobody = new Seen(null, false);
        if (
            Http.Request.Cookies[Cookie] is not { Length: > 0 } kept
            || Unprotected(kept) is not [var whose, var changes, var name]
            || whose != $"{person.Id:N}"
            || !await MayAsync(cancellation)
        )
        {
            return nobody;
        }

        return new Seen(Find(await workspaces.GetAsync(cancellation), name), changes == Changes);
    }

    private string[] Unprotected(string kept)
    {
        try
        {
            return Protector.Unprotect(kept).Split(' ', 3);
        }
        catch (CryptographicException)
        {
            return [];
        }
    }

    private Onlooker? Find(Workspace workspace, string name) =>
        workspace.Roles.FirstOrDefault(role => role.Name == name) is { } role ? OfRole(workspace, role)
        : Guid.TryParse(name, out var id) && id != person.Id && workspace.People.GetValueOrDefault(id) is { } entry ? OfPerson(id, entry)
        : null;

    private Onlooker OfRole(Workspace workspace, RoleEntry role)
    {
        var self = person.Id is { } id ? workspace.People.GetValueOrDefault(id)?.AsUser : null;
        return new Onlooker(
            role.Name,
            role.Label,
            false,
            new HashSet<string> { role.Name },
            self is null ? null : self with { Roles = [role.Name] }
        );
    }

    private static Onlooker OfPerson(Guid id, PersonEntry entry) => new($"{id:N}", entry.Name, true, entry.Roles, entry.AsUser);
}

/// <summary>Somebody through whose eyes apps are seen.</summary>
/// <param name="Name">What a form calls them: a role's name, or a person's identity.</param>
/// <param name="Label">What people read.</param>
/// <param name="IsPerson">A person, with what the workspace keeps of people; otherwise a role.</param>
/// <param name="Roles">The roles.</param>
/// <param name="User">Who formulas take for the one who is signed in.</param>
internal sealed record Onlooker(string Name, string Label, bool IsPerson, IReadOnlySet<string> Roles, SignedIn? User)
{
    /// <summary>Who, within a sentence.</summary>
    public string Said => IsPerson ? Label : $"the role {Label}";
}
