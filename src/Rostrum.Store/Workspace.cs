using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>An app as far as finding it goes.</summary>
public sealed record AppEntry(Guid Id, string Address, string Name, int? LiveVersion);

/// <summary>A role by its name and what people read.</summary>
public sealed record RoleEntry(string Name, string Label);

/// <summary>A person's name, address, the names of the person's roles, and what else the workspace keeps of people.</summary>
public sealed record PersonEntry(string Name, string? Email, FrozenSet<string> Roles, ImmutableArray<PersonAttribute> Attributes)
{
    /// <summary>Changes with the password and whatever else ends the person's sessions.</summary>
    public required string? SecurityStamp { get; init; }

    /// <summary>The person as formulas see it.</summary>
    public SignedIn AsUser => new(Name, Email, [.. Roles.Order(StringComparer.Ordinal)]) { Attributes = Attributes };
}

/// <summary>What may change under a running page, as it was at one moment: who has which role, which role may what, which version is live.</summary>
public sealed record Workspace(
    ImmutableArray<AppEntry> Apps,
    ImmutableArray<RoleEntry> Roles,
    ImmutableArray<Policy> Policies,
    FrozenDictionary<Guid, PersonEntry> People,
    FrozenDictionary<Guid, StoredSource> Sources,
    ImmutableArray<PersonAttribute> Attributes)
{
    /// <summary>The datasets as the workspace's builders have them.</summary>
    public required DatasetCatalogue Datasets { get; init; }

    /// <summary>Who has tables of which app's page otherwise than their builder: for everybody else there is nothing to be read.</summary>
    public required FrozenSet<(Guid Person, string App, string Page)> PersonalPages { get; init; }

    private readonly ConcurrentDictionary<string, Rights> _rights = new(StringComparer.Ordinal);

    /// <summary>What a person with some roles may do. People with the same roles share their rights, and what was found out about formulas within them.</summary>
    public Grants GrantsOf(IReadOnlySet<string> roles, SignedIn? user) =>
        new(_rights.GetOrAdd(string.Join('\n', roles.Order(StringComparer.Ordinal)), _ => Rights.Of(roles, Policies)), user);

    /// <summary>The same, with what another one has worked out already where it is unchanged: the rights of each set of roles, and the datasets.</summary>
    internal Workspace After(Workspace? before)
    {
        if (before is null)
        {
            return this;
        }

        if (before.PoliciesText == PoliciesText)
        {
            foreach (var (roles, rights) in before._rights)
            {
                _rights.TryAdd(roles, rights);
            }
        }

        return before.DatasetsText == DatasetsText ? this with { Datasets = before.Datasets } : this;
    }

    // Datasets are compared as they are written.
    private string DatasetsText { get; init; } = "";

    // What tells policies from others: filters have no equality.
    private string PoliciesText { get; init; } = "";

    /// <summary>Nobody in particular: for checking formulas that ask who is signed in.</summary>
    public SignedIn Anybody => new("", null, []) { Attributes = Attributes };

    /// <summary>The roles of one person; none where the person is not known.</summary>
    public FrozenSet<string> RolesOf(Guid person) => People.GetValueOrDefault(person)?.Roles ?? FrozenSet<string>.Empty;

    public static async Task<Workspace> ReadAsync(RostrumStore store, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(store);
        var apps = await store.Apps.AsNoTracking().OrderBy(app => app.Address).ToListAsync(cancellation);
        var roles = await store.Roles.AsNoTracking().OrderBy(role => role.Label).ToListAsync(cancellation);
        var policies = await store.Policies.AsNoTracking().ToListAsync(cancellation);
        var people = await store.Users.AsNoTracking().Select(person => new { person.Id, person.Name, person.Email, person.Attributes, person.SecurityStamp }).ToListAsync(cancellation);
        var memberships = (await store.UserRoles.AsNoTracking().ToListAsync(cancellation)).ToLookup(membership => membership.UserId, membership => membership.RoleId);
        var sources = await store.Sources.AsNoTracking().ToListAsync(cancellation);
        var attributes = await store.Attributes.AsNoTracking().OrderBy(attribute => attribute.Name).ToListAsync(cancellation);
        var datasets = await store.Datasets.AsNoTracking().OrderBy(dataset => dataset.Id).Select(dataset => dataset.Definition).ToListAsync(cancellation);
        var personal = await store.PersonalTables.AsNoTracking().Select(table => new { table.PersonId, table.App, table.Page }).Distinct().ToListAsync(cancellation);
        var names = roles.ToDictionary(role => role.Id, role => role.Name!);
        return new Workspace(
            [.. apps.Select(app => new AppEntry(app.Id, app.Address, app.Draft.Name, app.LiveVersion))],
            [.. roles.Select(role => new RoleEntry(role.Name!, role.Label))],
            [.. policies.Select(policy => policy.AsPolicy())],
            people.ToFrozenDictionary(
                person => person.Id,
                person => new PersonEntry(person.Name, person.Email, memberships[person.Id].Select(role => names[role]).ToFrozenSet(StringComparer.Ordinal), [.. attributes.Select(attribute => new PersonAttribute(
                    attribute.Name, attribute.Type, person.Attributes.TryGetValue(attribute.Name, out var text) && FieldText.FromCanonical(attribute.Type, text) is Parsed.Value value ? value.Is : null))])
                { SecurityStamp = person.SecurityStamp }),
            sources.ToFrozenDictionary(source => source.Id),
            [.. attributes.Select(attribute => new PersonAttribute(attribute.Name, attribute.Type, null))])
        {
            Datasets = new DatasetCatalogue(datasets),
            DatasetsText = JsonSerializer.Serialize(datasets, KindJson.Options),
            PersonalPages = personal.Select(page => (page.PersonId, page.App, page.Page)).ToFrozenSet(),
            PoliciesText = JsonSerializer.Serialize(policies.OrderBy(policy => policy.Role, StringComparer.Ordinal).ThenBy(policy => policy.DatasetId)),
        };
    }
}
