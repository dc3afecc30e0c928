using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.People.Joining;

/// <summary>What somebody has by the invitation that made them a person.</summary>
internal static class Memberships
{
    /// <summary>Adds the roles and groups to what is saved next. Those that were removed since are left out.</summary>
    public static async Task AddAsync(RostrumStore store, Person person, Invitation invitation, CancellationToken cancellation)
    {
        var roles = await store
            .Roles.Where(role => invitation.Roles.Contains(role.Name!))
            .Select(role => role.Id)
            .ToListAsync(cancellation);
        store.UserRoles.AddRange(roles.Select(role => new IdentityUserRole<Guid> { UserId = person.Id, RoleId = role }));
        var groups = await store
            .Groups.Where(group => invitation.Groups.Contains(group.Name))
            .Select(group => group.Name)
            .ToListAsync(cancellation);
        store.GroupMembers.AddRange(groups.Select(group => new GroupMember { GroupName = group, PersonId = person.Id }));
    }
}
