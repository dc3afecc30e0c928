using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access.SignIn;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People.Directory;
using Rostrum.Web.People.Joining;

namespace Rostrum.Web.People.SignOn;

/// <summary>Somebody whom a provider knows.</summary>
/// <param name="Key">What stays the same for that person, whatever else changes.</param>
/// <param name="Name">The name; null where it says none.</param>
/// <param name="Email">The mail address; null where it says none.</param>
/// <param name="OwnsEmail">The provider answers for it that the address is the person's.</param>
/// <param name="Claims">All that it says.</param>
internal sealed record KnownBy(string Key, string? Name, string? Email, bool OwnsEmail, ImmutableArray<PersonClaim> Claims);

/// <summary>Who it is in this workspace; or why nobody.</summary>
internal sealed record Arrived(Person? Person, string? Refusal);

/// <summary>
/// Finds or makes the person whom a provider knows, and gives them what its rules say. A person is known by the provider's own key; the
/// mail address counts once, for the first sign-in, and only where the provider answers for it.
/// </summary>
internal sealed class Arrival(RostrumStore store, UserManager<Person> people, WorkspaceCache workspaces, TimeProvider time)
{
    public async Task<Arrived> OfAsync(SignInProvider provider, KnownBy known, CancellationToken cancellation)
    {
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        // Two first sign-ins at once make one person.
        await store.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtext({"sign-in " + provider.Name}))", cancellation);
        var person = await people.FindByLoginAsync(provider.Name, known.Key);
        if (person is null)
        {
            (person, var refusal) = await FirstAsync(provider, known, cancellation);
            if (person is null)
            {
                return new Arrived(null, refusal);
            }

            await people.AddLoginAsync(person, new UserLoginInfo(provider.Name, known.Key, provider.Label));
        }

        if (person.DeactivatedAt is not null)
        {
            return new Arrived(null, "Your access has ended. Ask an owner of this workspace.");
        }

        if (!provider.Rules.IsEmpty)
        {
            await GiveAsync(person, provider.Rules, ClaimGifts.Of(provider.Rules, known.Claims), cancellation);
        }

        store.SignInAttempts.Add(
            new SignInAttempt
            {
                PersonId = person.Id,
                UserName = $"by {provider.Name}",
                Outcome = SignInAttempt.SignedIn,
                At = time.GetUtcNow(),
            }
        );
        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return new Arrived(person, null);
    }

    private async Task<(Person? Person, string? Refusal)> FirstAsync(SignInProvider provider, KnownBy known, CancellationToken cancellation)
    {
        if (known is { Email: { } address, OwnsEmail: true })
        {
            if (await people.FindByEmailAsync(address) is { } there)
            {
                return (there, null);
            }

            var now = time.GetUtcNow();
            var invitation = await store
                .Invitations.Where(row =>
                    EF.Functions.ILike(row.Email, LikePattern.Literally(address), "\\") && row.AcceptedAt == null && row.Ends > now
                )
                .FirstOrDefaultAsync(cancellation);
            if (invitation is not null)
            {
                invitation.AcceptedAt = now;
                invitation.Revision++;
                return (await MakeAsync(known, invitation, cancellation), null);
            }
        }

        return provider.MakesPeople
            ? (await MakeAsync(known, null, cancellation), null)
            : (
                null,
                $"{provider.Label} knows you, and this workspace does not. Ask an owner to invite you"
                    + (known.Email is null ? "." : $" as {known.Email}.")
            );
    }

    private async Task<Person> MakeAsync(KnownBy known, Invitation? invitation, CancellationToken cancellation)
    {
        var person = new Person
        {
            UserName = await FreshNameAsync(known, cancellation),
            Name = known.Name ?? invitation?.Name ?? known.Email ?? known.Key,
            Email = known.OwnsEmail ? known.Email : null,
            EmailConfirmed = known.OwnsEmail,
        };
        var made = await people.CreateAsync(person);
        if (!made.Succeeded)
        {
            throw new InvalidOperationException(string.Join(" ", made.Errors.Select(error => error.Description)));
        }

        if (invitation is not null)
        {
            await Memberships.SetAsync(store, person.Id, invitation.Roles, invitation.Groups, cancellation);
        }

        return person;
    }

    private async Task<string> FreshNameAsync(KnownBy known, CancellationToken cancellation)
    {
        var claimed = known.Claims.FirstOrDefault(claim => claim.Type is "preferred_username" or "uid")?.Value;
        var allowed = people.Options.User.AllowedUserNameCharacters;
        var wish = string.Concat((claimed ?? known.Email?.Split('@')[0] ?? "person").ToLowerInvariant().Where(allowed.Contains));
        wish = wish.Length == 0 ? "person" : wish;
        var taken = (
            await store.Users.Where(row => row.UserName!.StartsWith(wish)).Select(row => row.UserName!).ToListAsync(cancellation)
        ).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var name = wish;
        for (var at = 2; taken.Contains(name); at++)
        {
            name = $"{wish}{at}";
        }

        return name;
    }

    private async Task GiveAsync(Person person, ImmutableArray<ClaimRule> rules, ClaimGifts gifts, CancellationToken cancellation)
    {
        var held = await (
            from row in store.UserRoles
            join role in store.Roles on row.RoleId equals role.Id
            where row.UserId == person.Id
            select role.Name!
        ).ToListAsync(cancellation);
        var roles = ClaimGifts.After(held, rules, ClaimGift.Role, gifts.Roles);
        // The last owner stays one, whatever a provider says.
        if (Owners.Problem(await workspaces.GetAsync(cancellation), person.Id, isActive: true, roles) is not null)
        {
            roles = roles.Add(Role.Owner);
        }

        var member = await store
            .GroupMembers.Where(row => row.PersonId == person.Id)
            .Select(row => row.GroupName)
            .ToListAsync(cancellation);
        var groups = ClaimGifts.After(member, rules, ClaimGift.Group, gifts.Groups);
        await Memberships.SetAsync(store, person.Id, roles, groups, cancellation);

        foreach (var attribute in await store.Attributes.AsNoTracking().ToListAsync(cancellation))
        {
            if (rules.Any(rule => rule.Gives is ClaimGift.Attribute && rule.Name == attribute.Name))
            {
                person.Attributes =
                    gifts.Attributes.TryGetValue(attribute.Name, out var text)
                    && FieldText.FromCanonical(attribute.Type, text) is Parsed.Value { Is: { } value }
                        ? person.Attributes.SetItem(attribute.Name, FieldText.ToCanonical(attribute.Type, value))
                        : person.Attributes.Remove(attribute.Name);
            }
        }
    }
}
