using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People.Joining;

/// <summary>
/// Lets the first person in: whoever starts Rostrum over an empty store gets a link on the console, and becomes owner by it.
/// </summary>
internal static class FirstOwner
{
    /// <summary>Makes a link; null where somebody is there already. A link that was made before is void then.</summary>
    public static async Task<string?> LinkAsync(IServiceProvider services, CancellationToken cancellation)
    {
        await using var scope = services.CreateAsyncScope();
        var store = scope.ServiceProvider.GetRequiredService<RostrumStore>();
        if (await store.Users.AnyAsync(cancellation))
        {
            return null;
        }

        var roles = scope.ServiceProvider.GetRequiredService<RoleManager<Role>>();
        foreach (var (name, label) in new[] { (Role.Owner, "Owner"), (Role.Builder, "Builder") })
        {
            if (!await roles.RoleExistsAsync(name))
            {
                await roles.CreateAsync(
                    new Role
                    {
                        Name = name,
                        Label = label,
                        Permissions = Role.UsualPermissions(name),
                    }
                );
            }
        }

        await store.Invitations.Where(open => open.Email == "").ExecuteDeleteAsync(cancellation);
        var links = scope.ServiceProvider.GetRequiredService<MailSettings>().Address ?? "";
        var link = scope
            .ServiceProvider.GetRequiredService<Invitations>()
            .AddForFirst([Role.Owner, Role.Builder], new Inviter(Guid.Empty, "", links));
        await store.SaveChangesAsync(cancellation);
        return link;
    }
}
