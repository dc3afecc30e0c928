using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.People.Joining;

/// <summary>The roles and groups of a person, as far as they are held without a group's help.</summary>
internal static class Memberships
{
    /// <summary>
    /// Gives and takes, with what is saved next, so that a person holds these and no other. What is not there is left out.
    /// </summary>
    public static async Task SetAsync(
        RostrumStore store,
        Guid person,
        IReadOnlyCollection<string> roles,
        IReadOnlyCollection<string> groups,
        CancellationToken cancellation
    )
    {
        var held = await store.UserRoles.Where(row => row.UserId == person).ToListAsync(cancellation);
        var wanted = await store.Roles.Where(role => roles.Contains(role.Name!)).Select(role => role.Id).ToListAsync(cancellation);
        store.UserRoles.RemoveRange(held.Where(row => !wanted.Contains(row.RoleId)));
        store.UserRoles.AddRange(
            wanted.Except(held.Select(row => row.RoleId)).Select(role => new IdentityUserRole<Guid> { UserId = person, RoleId = role })
        );

        var member = await store.GroupMembers.Where(row => row.PersonId == person).ToListAsync(cancellation);
        var known = await store.Groups.Where(group => groups.Contains(group.Name)).Select(group => group.Name).ToListAsync(cancellation);
        store.GroupMembers.RemoveRange(member.Where(row => !known.Contains(row.GroupName)));
        store.GroupMembers.AddRange(
            known.Except(member.Select(row => row.GroupName)).Select(group => new GroupMember { GroupName = group, PersonId = person })
        );
    }
}
