using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Collections.Immutable;
using System.Linq.Expressions;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;

namespace Rostrum.Store;

/// <summary>An app as far as finding it goes.</summary>
public sealed record AppEntry(Guid Id, string Address, string Name, int? LiveVersion);

/// <summary>A source as far as connecting to it goes.</summary>
public sealed record SourceEntry(
    Guid Id,
    string Name,
    string Kind,
    string Host,
    int Port,
    string Database,
    string UserName,
    string ProtectedPassword,
    bool Encrypted,
    string Options,
    string Requests
)
{
    internal static Expression<Func<StoredSource, SourceEntry>> Reading { get; } =
        source => new SourceEntry(
            source.Id,
            source.Name,
            source.Kind,
            source.Host,
            source.Port,
            source.Database,
            source.UserName,
            source.ProtectedPassword,
            source.Encrypted,
            source.Options,
            source.Requests
        );

    private static readonly Func<StoredSource, SourceEntry> Read = Reading.Compile();

    /// <summary>The same of a source that was read whole.</summary>
    public static SourceEntry Of(StoredSource source) => Read(source);
}

/// <summary>A workflow with its live version.</summary>
/// <param name="Id">Its identity.</param>
/// <param name="Name">Its name in addresses and in other workflows.</param>
/// <param name="Version">The number of the live version.</param>
/// <param name="IsOn">Its trigger is heard.</param>
/// <param name="Live">The live version.</param>
public sealed record WorkflowEntry(Guid Id, string Name, int Version, bool IsOn, Workflow Live);

/// <summary>A role by its name and what people read.</summary>
public sealed record RoleEntry(string Name, string Label)
{
    /// <summary>Whoever holds it signs in with a second factor.</summary>
    public bool NeedsSecondFactor { get; init; }

    /// <summary>Whoever holds others too may work with the apps in this one alone.</summary>
    public bool CanBeChosen { get; init; }

    /// <summary>What it may do with the workspace.</summary>
    public WorkspacePermissions Permissions { get; init; }

    /// <summary>The apps that it may build, where it may build any; all of them where it names none.</summary>
    public ImmutableArray<Guid> BuildsOnly { get; init; } = [];

    /// <summary>It is Rostrum's own, and stays as it is.</summary>
    public bool IsOurs => Name is Role.Builder or Role.Owner;
}

/// <summary>A group by its name, what people read, and the roles that its people have by it.</summary>
public sealed record GroupEntry(string Name, string Label, ImmutableArray<string> Roles);

/// <summary>A person's name, address, the names of the person's roles, and what else the workspace keeps of people.</summary>
public sealed record PersonEntry(Guid Id, string Name, string? Email, FrozenSet<string> Roles, ImmutableArray<PersonAttribute> Attributes)
{
    /// <summary>The names of the person's groups.</summary>
    public required ImmutableArray<string> Groups { get; init; }

    /// <summary>The roles that the person holds without a group.</summary>
    public required ImmutableArray<string> OwnRoles { get; init; }

    /// <summary>The person signs in with a second factor.</summary>
    public required bool HasSecondFactor { get; init; }

    /// <summary>The person can sign in.</summary>
    public required bool IsActive { get; init; }

    /// <summary>The one role in which the person works with the apps; all of theirs where null.</summary>
    public required string? WorksAs { get; init; }

    /// <summary>The roles with which the person works with the apps at this moment.</summary>
    public FrozenSet<string> RolesAtWork => WorksAs is { } one && Roles.Contains(one) ? FrozenSet.Create(one) : Roles;

    /// <summary>Changes with the password and whatever else ends the person's sessions.</summary>
    public required string? SecurityStamp { get; init; }

    /// <summary>The person as formulas see it: one for all requests, with what was found out about it.</summary>
    public SignedIn AsUser =>
        field ??= new(Name, Email, [.. Roles.Order(StringComparer.Ordinal)])
        {
            Id = Id,
            Attributes = Attributes,
            AllRoles = AllRoles,
            Groups = Groups,
            AllGroups = AllGroups,
        };

    /// <summary>The roles that there are.</summary>
    public required FormulaType.Choice AllRoles { get; init; }

    /// <summary>The groups that there are.</summary>
    public required FormulaType.Choice AllGroups { get; init; }
}

/// <summary>
/// What may change under a running page, as it was at one moment: who has which role, which role may what, which version is live.
/// </summary>
public sealed record Workspace(
    ImmutableArray<AppEntry> Apps,
    ImmutableArray<RoleEntry> Roles,
    ImmutableArray<Policy> Policies,
    FrozenDictionary<Guid, PersonEntry> People,
    FrozenDictionary<Guid, SourceEntry> Sources,
    ImmutableArray<PersonAttribute> Attributes
)
{
    /// <summary>The secrets by their names, encrypted.</summary>
    public required FrozenDictionary<string, string> Secrets { get; init; }

    /// <summary>The services by which people may sign in, by their labels.</summary>
    public required ImmutableArray<SignInProvider> SignInProviders { get; init; }

    /// <summary>The datasets of which somebody watches something: of others nobody need be told.</summary>
    public required FrozenSet<Guid> WatchedDatasets { get; init; }

    /// <summary>Who watches something.</summary>
    public required FrozenSet<Guid> Watchers { get; init; }

    /// <summary>The workflows that have a live version, by their names.</summary>
    public required ImmutableArray<WorkflowEntry> Workflows { get; init; }

    /// <summary>The workflows that are on whose trigger is of one kind.</summary>
    public IEnumerable<(WorkflowEntry Workflow, T Trigger)> SetOffBy<T>()
        where T : Trigger =>
        from workflow in Workflows
        where workflow.IsOn && workflow.Live.Trigger is T
        select (workflow, (T)workflow.Live.Trigger);

    /// <summary>The datasets whose saves some workflow that is on hears of, before or after.</summary>
    public FrozenSet<Guid> HeardDatasets =>
        field ??= SetOffBy<RecordTrigger>().Select(known => known.Trigger.Dataset?.Value).OfType<Guid>().ToFrozenSet();

    /// <summary>Whether some workflow that is on hears of a dataset's saves.</summary>
    public bool IsHeard(DatasetId dataset) => HeardDatasets.Contains(dataset.Value);

    /// <summary>Whether some workflow asks people to decide about a dataset's records.</summary>
    public bool AsksAbout(DatasetId dataset) =>
        Workflows.Any(workflow => workflow.Live.Datasets.Contains(dataset) && workflow.Live.All.Any(step => step.Does is SignOff));

    /// <summary>The public links that there are.</summary>
    public required ImmutableArray<PublicLink> PublicLinks { get; init; }

    /// <summary>The datasets as the workspace's builders have them.</summary>
    public required DatasetCatalogue Datasets { get; init; }

    /// <summary>Datasets to choose from, by their labels; where several have one label, the source stands with it.</summary>
    public IEnumerable<(DatasetId Id, string Label)> Labelled(IEnumerable<Dataset> datasets) =>
        from dataset in datasets
        group dataset by dataset.Label into called
        from dataset in called
        let label = called.Skip(1).Any() && Sources.TryGetValue(dataset.Source.Value, out var source)
            ? $"{dataset.Label}, {source.Name}"
            : dataset.Label
        orderby label
        select (dataset.Id, label);

    /// <summary>Who has tables of which app's page otherwise than their builder: for everybody else there is nothing to be read.</summary>
    public required FrozenSet<(Guid Person, string App, string Page)> PersonalPages { get; init; }

    private readonly ConcurrentDictionary<string, Rights> _rights = new(StringComparer.Ordinal);

    /// <summary>
    /// What a person with some roles may do. People with the same roles share their rights, and what was found out about formulas within
    /// them.
    /// </summary>
    public Grants GrantsOf(IReadOnlySet<string> roles, SignedIn? user) =>
        new(
            _rights.GetOrAdd(string.Join('\n', roles.Order(StringComparer.Ordinal)), _ => Rights.Of(roles, Policies.Select(Possible))),
            user
        );

    /// <summary>The same, worked out anew: for a workspace whose policies are tried out.</summary>
    public Grants FreshGrantsOf(IReadOnlySet<string> roles, SignedIn? user) => new(Rights.Of(roles, Policies.Select(Possible)), user);

    // What can be done with records by nobody no role may do.
    private Policy Possible(Policy policy) =>
        Datasets.Find(policy.Dataset) is { } dataset ? policy with { Verbs = policy.Verbs & dataset.Grantable } : policy;

    /// <summary>What stood in the store, to tell what is unchanged later.</summary>
    private ImmutableArray<StoredPolicy> StoredPolicies { get; init; } = [];

    private FrozenDictionary<Guid, (int Revision, Dataset Definition)> StoredDatasets { get; init; } =
        FrozenDictionary<Guid, (int, Dataset)>.Empty;

    /// <summary>Nobody in particular: for checking formulas that ask who is signed in.</summary>
    public SignedIn Anybody =>
        new("", null, [])
        {
            Attributes = Attributes,
            AllRoles = AllRoles,
            AllGroups = AllGroups,
        };

    /// <summary>The groups, by their labels.</summary>
    public required ImmutableArray<GroupEntry> Groups { get; init; }

    /// <summary>The groups that there are, as formulas see them.</summary>
    public required FormulaType.Choice AllGroups { get; init; }

    /// <summary>The roles that there are, as formulas see them.</summary>
    public required FormulaType.Choice AllRoles { get; init; }

    /// <summary>What some roles together may do with the workspace.</summary>
    public WorkspacePermissions PermissionsOf(IReadOnlySet<string> roles) =>
        Roles.Where(role => roles.Contains(role.Name)).Aggregate(WorkspacePermissions.None, (all, role) => all | role.Permissions);

    /// <summary>The attributes with the values that somebody would have of some texts.</summary>
    public ImmutableArray<PersonAttribute> WithValues(IReadOnlyDictionary<string, string> texts) =>
        [
            .. Attributes.Select(attribute =>
                attribute with
                {
                    Value =
                        texts.TryGetValue(attribute.Name, out var text)
                        && FieldText.FromCanonical(attribute.Type, text) is Parsed.Value value
                            ? value.Is
                            : null,
                }
            ),
        ];

    /// <summary>The apps that people with these roles may build; null where they may build all, and other things in Build.</summary>
    public FrozenSet<Guid>? BuildsOnly(IReadOnlySet<string> roles)
    {
        var building = Roles.Where(role => roles.Contains(role.Name) && role.Permissions.HasFlag(WorkspacePermissions.BuildApps)).ToArray();
        return building.Any(role => role.BuildsOnly.IsEmpty) ? null : building.SelectMany(role => role.BuildsOnly).ToFrozenSet();
    }

    /// <summary>The roles of one person; none where the person is not known.</summary>
    public FrozenSet<string> RolesOf(Guid person) => People.GetValueOrDefault(person)?.Roles ?? FrozenSet<string>.Empty;

    /// <summary>
    /// Reads the workspace. Of apps and sources their heads; of datasets those documents alone whose revision is not known.
    /// </summary>
    /// <param name="store">The store.</param>
    /// <param name="before">The workspace as it was read last: what is unchanged is taken over, with what was worked out about it.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public static async Task<Workspace> ReadAsync(RostrumStore store, Workspace? before, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(store);
        var apps = await store
            .Apps.AsNoTracking()
            .OrderBy(app => app.Address)
            .Select(app => new AppEntry(app.Id, app.Address, app.Name, app.LiveVersion))
            .ToListAsync(cancellation);
        var roles = await store.Roles.AsNoTracking().OrderBy(role => role.Label).ToListAsync(cancellation);
        var policies = await store
            .Policies.AsNoTracking()
            .OrderBy(policy => policy.Role)
            .ThenBy(policy => policy.DatasetId)
            .ToListAsync(cancellation);
        var people = await store
            .Users.AsNoTracking()
            .Select(person => new
            {
                person.Id,
                person.Name,
                person.Email,
                person.Attributes,
                person.SecurityStamp,
                person.DeactivatedAt,
                person.TwoFactorEnabled,
                person.WorksAs,
            })
            .ToListAsync(cancellation);
        var memberships = (await store.UserRoles.AsNoTracking().ToListAsync(cancellation)).ToLookup(
            membership => membership.UserId,
            membership => membership.RoleId
        );
        var groups = await store.Groups.AsNoTracking().OrderBy(group => group.Label).ToListAsync(cancellation);
        var members = (await store.GroupMembers.AsNoTracking().ToListAsync(cancellation)).ToLookup(
            member => member.PersonId,
            member => member.GroupName
        );
        var sources = await store.Sources.AsNoTracking().Select(SourceEntry.Reading).ToListAsync(cancellation);
        var secrets = await store.Secrets.AsNoTracking().ToListAsync(cancellation);
        var attributes = await store.Attributes.AsNoTracking().OrderBy(attribute => attribute.Name).ToListAsync(cancellation);
        var datasets = await DatasetsAsync(store, before, cancellation);
        var personal = await store
            .PersonalTables.AsNoTracking()
            .Select(table => new
            {
                table.PersonId,
                table.App,
                table.Page,
            })
            .Distinct()
            .ToListAsync(cancellation);
        var providers = await store.SignInProviders.AsNoTracking().OrderBy(provider => provider.Label).ToListAsync(cancellation);
        var watches = await store
            .Watches.AsNoTracking()
            .Select(watch => new { watch.PersonId, watch.DatasetId })
            .Distinct()
            .ToListAsync(cancellation);
        var links = await store.PublicLinks.AsNoTracking().ToListAsync(cancellation);
        var workflows = await WorkflowsAsync(store, before, cancellation);
        var names = roles.ToDictionary(role => role.Id, role => role.Name!);

        // A dataset that is gone has no fields to ask for, so that conditions that do are wrong, and let nothing through.
        var records = attributes
            .Select(attribute => attribute.DatasetId)
            .OfType<Guid>()
            .Distinct()
            .ToDictionary(
                id => id,
                id =>
                    datasets.TryGetValue(id, out var found)
                        ? RecordAttribute.Of(found.Definition)
                        : new RecordAttribute(new DatasetId(id), "record", [])
            );

        ImmutableArray<PersonAttribute> AttributesOf(IReadOnlyDictionary<string, string>? texts) =>
            [
                .. attributes.Select(attribute => new PersonAttribute(
                    attribute.Name,
                    attribute.Type,
                    ValueOf(attribute, texts?.GetValueOrDefault(attribute.Name))
                )
                {
                    Record = attribute.DatasetId is { } of ? records[of] : null,
                }),
            ];

        var allRoles = new FormulaType.Choice([.. roles.Select(role => role.Name!)])
        {
            Labels = [.. roles.Select(role => role.Label)],
            IsClosed = true,
        };
        var allGroups = new FormulaType.Choice([.. groups.Select(group => group.Name)])
        {
            Labels = [.. groups.Select(group => group.Label)],
            IsClosed = true,
        };
        var held = names.Values.ToHashSet(StringComparer.Ordinal);
        var rolesOf = groups.ToDictionary(group => group.Name, group => group.Roles.Where(held.Contains).ToArray());
        var workspace = new Workspace(
            [.. apps],
            [
                .. roles.Select(role => new RoleEntry(role.Name!, role.Label)
                {
                    NeedsSecondFactor = role.NeedsSecondFactor,
                    CanBeChosen = role.CanBeChosen,
                    Permissions = role.Name == Role.Owner ? WorkspacePermissions.All : role.Permissions,
                    BuildsOnly = role.Name == Role.Owner ? [] : [.. role.BuildsOnly],
                }),
            ],
            [.. policies.Select(policy => policy.AsPolicy())],
            people.ToFrozenDictionary(
                person => person.Id,
                person => new PersonEntry(
                    person.Id,
                    person.Name,
                    person.Email,
                    memberships[person.Id]
                        .Select(role => names[role])
                        .Concat(members[person.Id].SelectMany(group => rolesOf[group]))
                        .ToFrozenSet(StringComparer.Ordinal),
                    AttributesOf(person.Attributes)
                )
                {
                    OwnRoles = [.. memberships[person.Id].Select(role => names[role]).Order(StringComparer.Ordinal)],
                    Groups = [.. members[person.Id].Order(StringComparer.Ordinal)],
                    AllGroups = allGroups,
                    IsActive = person.DeactivatedAt is null,
                    HasSecondFactor = person.TwoFactorEnabled,
                    WorksAs = roles.Any(role => role.Name == person.WorksAs && role.CanBeChosen) ? person.WorksAs : null,
                    SecurityStamp = person.SecurityStamp,
                    AllRoles = allRoles,
                }
            ),
            sources.ToFrozenDictionary(source => source.Id),
            AttributesOf(null)
        )
        {
            Datasets =
                before is not null && Same(before.StoredDatasets, datasets)
                    ? before.Datasets
                    : new DatasetCatalogue([.. datasets.OrderBy(dataset => dataset.Key).Select(dataset => dataset.Value.Definition)]),
            StoredDatasets = datasets,
            AllRoles = allRoles,
            AllGroups = allGroups,
            SignInProviders = [.. providers],
            PublicLinks = [.. links],
            Workflows = workflows,
            WatchedDatasets = watches.Select(watch => watch.DatasetId).ToFrozenSet(),
            Watchers = watches.Select(watch => watch.PersonId).ToFrozenSet(),
            Groups = [.. groups.Select(group => new GroupEntry(group.Name, group.Label, [.. rolesOf[group.Name]]))],
            Secrets = secrets.ToFrozenDictionary(secret => secret.Name, secret => secret.ProtectedValue, StringComparer.OrdinalIgnoreCase),
            PersonalPages = personal.Select(page => (page.PersonId, page.App, page.Page)).ToFrozenSet(),
            StoredPolicies = [.. policies],
        };
        if (before is not null && before.StoredPolicies.SequenceEqual(workspace.StoredPolicies, StoredPolicy.Comparer))
        {
            foreach (var (known, rights) in before._rights)
            {
                workspace._rights.TryAdd(known, rights);
            }
        }

        return workspace;
    }

    // Versions never change: those that are known are not read again.
    private static async Task<ImmutableArray<WorkflowEntry>> WorkflowsAsync(
        RostrumStore store,
        Workspace? before,
        CancellationToken cancellation
    )
    {
        var heads = await store
            .Workflows.AsNoTracking()
            .Where(workflow => workflow.LiveVersion != null)
            .OrderBy(workflow => workflow.Name)
            .Select(workflow => new
            {
                workflow.Id,
                workflow.Name,
                workflow.IsOn,
                Version = workflow.LiveVersion!.Value,
            })
            .ToListAsync(cancellation);
        var found = ImmutableArray.CreateBuilder<WorkflowEntry>();
        foreach (var head in heads)
        {
            var live = before?.Workflows.FirstOrDefault(known => known.Id == head.Id && known.Version == head.Version)?.Live
                ?? await store
                    .WorkflowVersions.AsNoTracking()
                    .Where(version => version.WorkflowId == head.Id && version.Number == head.Version)
                    .Select(version => version.Definition)
                    .FirstAsync(cancellation);
            found.Add(new WorkflowEntry(head.Id, head.Name, head.Version, head.IsOn, live));
        }

        return found.ToImmutable();
    }

    private static object? ValueOf(StoredAttribute attribute, string? text) =>
        text is not null && FieldText.FromCanonical(attribute.Type, text) is Parsed.Value value ? value.Is : null;

    private static async Task<FrozenDictionary<Guid, (int Revision, Dataset Definition)>> DatasetsAsync(
        RostrumStore store,
        Workspace? before,
        CancellationToken cancellation
    )
    {
        var heads = await store.Datasets.AsNoTracking().Select(dataset => new { dataset.Id, dataset.Revision }).ToListAsync(cancellation);
        var known = heads
            .Where(head => before is not null && before.StoredDatasets.TryGetValue(head.Id, out var kept) && kept.Revision == head.Revision)
            .ToDictionary(head => head.Id, head => before!.StoredDatasets[head.Id]);
        var wanted = heads.Select(head => head.Id).Where(id => !known.ContainsKey(id)).ToArray();
        if (wanted.Length > 0)
        {
            foreach (
                var dataset in await store.Datasets.AsNoTracking().Where(dataset => wanted.Contains(dataset.Id)).ToListAsync(cancellation)
            )
            {
                known[dataset.Id] = (dataset.Revision, dataset.Definition);
            }
        }

        return known.ToFrozenDictionary();
    }

    private static bool Same(
        FrozenDictionary<Guid, (int Revision, Dataset Definition)> one,
        FrozenDictionary<Guid, (int Revision, Dataset Definition)> other
    ) =>
        one.Count == other.Count
        && one.All(dataset => other.TryGetValue(dataset.Key, out var same) && same.Revision == dataset.Value.Revision);
}
