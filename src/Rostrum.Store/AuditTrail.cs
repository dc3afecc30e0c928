using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.ChangeTracking;
using Microsoft.EntityFrameworkCore.Diagnostics;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>Who does what is being saved.</summary>
public interface IActor
{
    /// <summary>Somebody asked for it over the network; false for commands and background work, which the audit leaves out.</summary>
    bool Asks { get; }

    /// <summary>Who is signed in; null where nobody is.</summary>
    Guid? Id { get; }
}

/// <summary>
/// Writes what owners may ask after later with the change itself, in one transaction: what is saved is in the audit, whoever saved it by
/// whichever way.
/// </summary>
internal sealed class AuditTrail(IActor actor, TimeProvider time) : SaveChangesInterceptor
{
    private sealed record Said(AuditKind Kind, string Subject, string Text, string Detail = "");

    public override async ValueTask<InterceptionResult<int>> SavingChangesAsync(
        DbContextEventData eventData,
        InterceptionResult<int> result,
        CancellationToken cancellationToken = default
    )
    {
        if (eventData.Context is RostrumStore store && actor.Asks)
        {
            var said = new List<Said>();
            foreach (var entry in store.ChangeTracker.Entries().Where(entry => entry.State is not EntityState.Unchanged).ToArray())
            {
                if (await OfAsync(store, entry, cancellationToken) is { } one)
                {
                    said.Add(one);
                }
            }

            await AddAsync(store, said, cancellationToken);
        }

        return result;
    }

    private async Task AddAsync(RostrumStore store, List<Said> said, CancellationToken cancellation)
    {
        if (said.Count == 0)
        {
            return;
        }

        var now = time.GetUtcNow();
        var name = actor.Id is { } id ? await PersonAsync(store, id, cancellation) : "somebody not signed in";
        foreach (var one in said)
        {
            store.AuditEntries.Add(
                new AuditEntry
                {
                    At = now,
                    PersonId = actor.Id,
                    PersonName = name,
                    Kind = one.Kind,
                    Subject = one.Subject,
                    Text = one.Text,
                    Detail = one.Detail,
                }
            );
        }
    }

    private static async Task<Said?> OfAsync(RostrumStore store, EntityEntry entry, CancellationToken cancellation) =>
        entry.Entity switch
        {
            StoredPolicy policy => await PolicyAsync(store, entry, policy, cancellation),
            Person person => OfPerson(entry, person),
            IdentityUserRole<Guid> held => new Said(
                AuditKind.People,
                await PersonAsync(store, held.UserId, cancellation),
                $"{(entry.State is EntityState.Added ? "Gave" : "Took")} the role {await RoleAsync(store, held.RoleId, cancellation)}."
            ),
            GroupMember member => new Said(
                AuditKind.People,
                await PersonAsync(store, member.PersonId, cancellation),
                (entry.State is EntityState.Added ? "Put into the group " : "Took out of the group ")
                    + $"{await GroupAsync(store, member.GroupName, cancellation)}."
            ),
            Group group => Made(
                entry,
                AuditKind.People,
                group.Label,
                "group",
                Changes(entry, (nameof(Group.Label), "Name"), (nameof(Group.Roles), "Roles"))
            ),
            Role role => Made(
                entry,
                AuditKind.Roles,
                role.Label,
                "role",
                Changes(
                    entry,
                    (nameof(Role.Label), "Name"),
                    (nameof(Role.Permissions), "In the workspace"),
                    (nameof(Role.BuildsOnly), "Builds only"),
                    (nameof(Role.NeedsSecondFactor), "Needs a second factor"),
                    (nameof(Role.CanBeChosen), "Can be worked in alone")
                )
            ),
            IdentityUserPasskey<Guid> passkey when entry.State is EntityState.Added or EntityState.Deleted => new Said(
                AuditKind.SignIn,
                await PersonAsync(store, passkey.UserId, cancellation),
                entry.State is EntityState.Added ? "Added a passkey." : "Removed a passkey."
            ),
            StoredAttribute attribute => Made(
                entry,
                AuditKind.People,
                attribute.Label,
                "attribute",
                Changes(entry, (nameof(StoredAttribute.Label), "Name"))
            ),
            Invitation { Email.Length: > 0 } invitation => OfInvitation(entry, invitation),
            StoredSource source => Made(
                entry,
                AuditKind.Sources,
                source.Name,
                "source",
                Changes(
                    entry,
                    (nameof(StoredSource.Name), "Name"),
                    (nameof(StoredSource.Host), "Host"),
                    (nameof(StoredSource.Port), "Port"),
                    (nameof(StoredSource.Database), "Database"),
                    (nameof(StoredSource.UserName), "User"),
                    (nameof(StoredSource.Encrypted), "Encrypted"),
                    (nameof(StoredSource.ProtectedPassword), null),
                    (nameof(StoredSource.Options), null)
                )
            ),
            StoredSecret secret => Made(
                entry,
                AuditKind.Sources,
                secret.Name,
                "secret",
                Changes(entry, (nameof(StoredSecret.ProtectedValue), null))
            ),
            SignInProvider provider => Made(
                entry,
                AuditKind.SignIn,
                provider.Label,
                "way to sign in",
                Changes(
                    entry,
                    (nameof(SignInProvider.Label), "Name"),
                    (nameof(SignInProvider.IsOn), "On"),
                    (nameof(SignInProvider.MakesPeople), "Makes people"),
                    (nameof(SignInProvider.ChecksSecondFactor), "Checks a second factor"),
                    (nameof(SignInProvider.ProtectedSecret), null),
                    (nameof(SignInProvider.Settings), null),
                    (nameof(SignInProvider.Rules), null)
                )
            ),
            WorkspaceSettings settings => new Said(
                AuditKind.Apps,
                "Logbook",
                settings.LogKeptMonths is { } months ? $"Is kept for {months} months." : "Is kept for ever."
            ),
            CalendarFeed feed => Made(entry, AuditKind.PublicLinks, $"{feed.App} · {feed.Page}", "calendar address", []),
            PublicLink link => Made(entry, AuditKind.PublicLinks, $"{link.App} · {link.Page}", "public link", []),
            StoredApp app => OfApp(entry, app),
            StoredWorkflow workflow => OfWorkflow(entry, workflow),
            _ => null,
        };

    private static Said? OfWorkflow(EntityEntry entry, StoredWorkflow workflow) =>
        entry.State is EntityState.Deleted ? new Said(AuditKind.Apps, workflow.Draft.Label, "Removed the workflow.")
        : entry.State is EntityState.Modified && entry.Property(nameof(StoredWorkflow.LiveVersion)).IsModified
            ? new Said(
                AuditKind.Apps,
                workflow.Draft.Label,
                $"Published version {workflow.LiveVersion} of the workflow.",
                workflow.Draft.RunsAs is { } role ? $"It runs with the rights of the role {role}." : ""
            )
        : entry.State is EntityState.Modified && entry.Property(nameof(StoredWorkflow.IsOn)).IsModified
            ? new Said(AuditKind.Apps, workflow.Draft.Label, workflow.IsOn ? "Turned the workflow on." : "Turned the workflow off.")
        : null;

    private static async Task<Said?> PolicyAsync(RostrumStore store, EntityEntry entry, StoredPolicy policy, CancellationToken cancellation)
    {
        var dataset = await store
            .Datasets.AsNoTracking()
            .Where(row => row.Id == policy.DatasetId)
            .Select(row => row.Definition)
            .FirstOrDefaultAsync(cancellation);
        var before = entry.State is EntityState.Added ? null : (StoredPolicy)entry.OriginalValues.ToObject();
        var after = entry.State is EntityState.Deleted ? null : policy;
        var role = await store
            .Roles.AsNoTracking()
            .Where(row => row.Name == policy.Role)
            .Select(row => row.Label)
            .FirstOrDefaultAsync(cancellation);
        return dataset is null
            ? null
            : new Said(
                AuditKind.Rights,
                $"{role ?? policy.Role} · {dataset.Label}",
                "Changed rights.",
                $"Before: {Words(dataset, before)}.\nNow: {Words(dataset, after)}."
            );
    }

    private static string Words(Dataset dataset, StoredPolicy? policy) =>
        policy is null or { Verbs: Verbs.None }
            ? "nothing"
            : string.Join("; ", [string.Join(", ", RightWords.Of(dataset, policy.Verbs)), .. RightWords.Limits(policy.AsPolicy())]);

    // What changes at each sign-in is no change that somebody made.
    private static Said? OfPerson(EntityEntry entry, Person person)
    {
        if (entry.State is EntityState.Modified && IsOther(entry, nameof(Person.DeactivatedAt)))
        {
            return new Said(AuditKind.People, person.Name, person.DeactivatedAt is null ? "Let in again." : "Deactivated.");
        }

        var changes = Changes(
            entry,
            (nameof(Person.Name), "Name"),
            (nameof(Person.Email), "Mail"),
            (nameof(Person.TwoFactorEnabled), "Second factor"),
            (nameof(Person.PasswordHash), null)
        );
        if (entry.State is EntityState.Modified && IsOther(entry, nameof(Person.Attributes)))
        {
            changes.AddRange(AttributeChanges(entry, person));
        }

        return Made(entry, AuditKind.People, person.Name, "person", changes);
    }

    private static IEnumerable<string> AttributeChanges(EntityEntry entry, Person person)
    {
        var before = entry.OriginalValues.GetValue<System.Collections.Immutable.ImmutableDictionary<string, string>>(
            nameof(Person.Attributes)
        );
        foreach (var name in before.Keys.Union(person.Attributes.Keys).Order(StringComparer.Ordinal))
        {
            var (was, now) = (before.GetValueOrDefault(name, ""), person.Attributes.GetValueOrDefault(name, ""));
            if (was != now)
            {
                yield return $"{name}: {Shown(was)} → {Shown(now)}";
            }
        }
    }

    private static Said? OfInvitation(EntityEntry entry, Invitation invitation) =>
        entry.State switch
        {
            EntityState.Added => new Said(AuditKind.People, invitation.Email, "Invited."),
            EntityState.Deleted => new Said(AuditKind.People, invitation.Email, "Withdrew the invitation."),
            _ when IsOther(entry, nameof(Invitation.AcceptedAt)) => new Said(
                AuditKind.People,
                invitation.Email,
                "Joined by the invitation."
            ),
            _ => new Said(AuditKind.People, invitation.Email, "Sent the invitation again."),
        };

    private static Said? OfApp(EntityEntry entry, StoredApp app) =>
        entry.State switch
        {
            EntityState.Modified when !IsOther(entry, nameof(StoredApp.LiveVersion)) => null,
            EntityState.Modified => new Said(AuditKind.Apps, app.Name, $"Made version {app.LiveVersion} live."),
            _ => Made(entry, AuditKind.Apps, app.Name, "app", []),
        };

    private static Said? Made(EntityEntry entry, AuditKind kind, string subject, string what, List<string> changes) =>
        entry.State switch
        {
            EntityState.Added => new Said(kind, subject, $"Added the {what}."),
            EntityState.Deleted => new Said(kind, subject, $"Removed the {what}."),
            EntityState.Modified when changes.Count > 0 => new Said(kind, subject, $"Changed the {what}.", string.Join('\n', changes)),
            _ => null,
        };

    // A value without a label is a secret, or long: that it changed is all that is said.
    private static List<string> Changes(EntityEntry entry, params (string Property, string? Label)[] watched) =>
        entry.State is not EntityState.Modified
            ? []
            :
            [
                .. from one in watched
                let property = entry.Property(one.Property)
                where property.IsModified && !Same(property.OriginalValue, property.CurrentValue)
                select one.Label is null
                    ? one.Property switch
                    {
                        nameof(Person.PasswordHash) => "A new password",
                        nameof(StoredSource.ProtectedPassword) => "A new password",
                        nameof(StoredSecret.ProtectedValue) => "A new value",
                        nameof(SignInProvider.ProtectedSecret) => "A new secret",
                        nameof(SignInProvider.Rules) => "Other rules",
                        _ => "Other settings",
                    }
                    : $"{one.Label}: {Shown(property.OriginalValue)} → {Shown(property.CurrentValue)}",
            ];

    // Identity marks all of a person as changed, whatever was.
    private static bool IsOther(EntityEntry entry, string property) =>
        !Same(entry.Property(property).OriginalValue, entry.Property(property).CurrentValue);

    private static bool Same(object? one, object? other) =>
        one is string[] texts && other is string[] others ? texts.SequenceEqual(others) : Equals(one, other);

    private static string Shown(object? value) =>
        value switch
        {
            null or "" => "nothing",
            true => "yes",
            false => "no",
            string[] texts => texts.Length == 0 ? "nothing" : string.Join(", ", texts),
            _ => $"{value}",
        };

    private static async Task<string> PersonAsync(RostrumStore store, Guid id, CancellationToken cancellation) =>
        store.Users.Local.FindEntry(id)?.Entity.Name
        ?? await store.Users.AsNoTracking().Where(row => row.Id == id).Select(row => row.Name).FirstOrDefaultAsync(cancellation)
        ?? "somebody who is gone";

    private static async Task<string> RoleAsync(RostrumStore store, Guid id, CancellationToken cancellation) =>
        store.Roles.Local.FindEntry(id)?.Entity.Label
        ?? await store.Roles.AsNoTracking().Where(row => row.Id == id).Select(row => row.Label).FirstOrDefaultAsync(cancellation)
        ?? "that is gone";

    private static async Task<string> GroupAsync(RostrumStore store, string name, CancellationToken cancellation) =>
        await store.Groups.AsNoTracking().Where(row => row.Name == name).Select(row => row.Label).FirstOrDefaultAsync(cancellation) ?? name;
}
