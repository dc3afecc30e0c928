using System.Data.Common;
using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Access.SignIn;
using Rostrum.Core.Apps.Files;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Apps;
using Rostrum.Web.Build.Apps.Files;
using Rostrum.Web.Build.Sources;
using Rostrum.Web.Build.Workflows;
using Rostrum.Web.People.Account;
using Rostrum.Web.People.SignOn;

namespace Rostrum.Web.Demo;

/// <summary>
/// Makes the demo of what the folder <c>demo</c> says, by the same code that serves Build: people and rights, a source, and its published
/// apps.
/// </summary>
internal static class DemoLoader
{
    /// <summary>Every person of the demo signs in with it; demo/people.md says who they are.</summary>
    public const string Password = "harbour-light-42";

    private static readonly string Folder = Path.Combine(AppContext.BaseDirectory, "demo");

    public static async Task LoadAsync(IServiceProvider services, CancellationToken cancellation)
    {
        await using var scope = services.CreateAsyncScope();
        var demo = YamlDocuments.Read<DemoWorkspace>(await File.ReadAllTextAsync(Path.Combine(Folder, "workspace.yaml"), cancellation));
        await AddPeopleAsync(scope.ServiceProvider, demo);
        await AddServicesAsync(scope.ServiceProvider, demo, cancellation);
        await AddSourcesAsync(scope.ServiceProvider, demo, cancellation);
        await TieAttributesAsync(scope.ServiceProvider.GetRequiredService<RostrumStore>(), demo, cancellation);
        await AddWorkflowsAsync(scope.ServiceProvider, demo, cancellation);
        await AddAppsAsync(scope.ServiceProvider, demo, cancellation);
    }

    // A workflow names datasets as <Source.table>, and APIs as <Source>.
    private static async Task AddWorkflowsAsync(IServiceProvider services, DemoWorkspace demo, CancellationToken cancellation)
    {
        var store = services.GetRequiredService<RostrumStore>();
        var drafts = services.GetRequiredService<WorkflowDrafts>();
        var sources = await store.Sources.AsNoTracking().ToDictionaryAsync(source => source.Id, source => source.Name, cancellation);
        var names = sources.ToDictionary(source => $"<{source.Value}>", source => source.Key);
        foreach (var row in await store.Datasets.AsNoTracking().ToListAsync(cancellation))
        {
            names[$"<{sources[row.SourceId]}.{row.Definition.Name}>"] = row.Id;
        }

        var by = demo.People[0].Name;
        foreach (var file in demo.Workflows)
        {
            var text = await File.ReadAllTextAsync(Path.Combine(Folder, "workflows", $"{file}.yaml"), cancellation);
            text = names.Aggregate(text, (all, name) => all.Replace(name.Key, $"{{value: {name.Value}}}", StringComparison.Ordinal));
            if (text.Contains(": <", StringComparison.Ordinal))
            {
                continue;
            }

            var stored = await drafts.AddAsync(YamlDocuments.Read<Workflow>(text), cancellation);
            await drafts.PublishAsync(stored.Id, "The demo’s own", by, cancellation);
        }
    }

    private static async Task AddPeopleAsync(IServiceProvider services, DemoWorkspace demo)
    {
        var roles = services.GetRequiredService<RoleManager<Role>>();
        foreach (var role in demo.Roles)
        {
            Check(
                await roles.CreateAsync(
                    new Role
                    {
                        Name = role.Name,
                        Label = role.Label,
                        NeedsSecondFactor = role.NeedsSecondFactor,
                        Permissions = Role.UsualPermissions(role.Name),
                    }
                )
            );
        }

        var store = services.GetRequiredService<RostrumStore>();
        store.Attributes.AddRange(
            demo.Attributes.Select(attribute => new StoredAttribute
            {
                Name = attribute.Name,
                Label = attribute.Label,
                Type = new FieldType.Text(),
            })
        );
        await store.SaveChangesAsync();
        var people = services.GetRequiredService<UserManager<Person>>();
        foreach (var somebody in demo.People)
        {
            var person = new Person
            {
                UserName = somebody.SignIn,
                Name = somebody.Name,
                Email = $"{somebody.SignIn}@brackwater.example",
                EmailConfirmed = true,
                Attributes = somebody.Attributes,
            };
            Check(await people.CreateAsync(person, Password));
            Check(await people.AddToRoleAsync(person, somebody.Role));
            if (somebody.AuthenticatorKey is { } key)
            {
                await SecondFactor.GiveAsync(people, person, key);
            }
        }

        var ids = await store.Users.ToDictionaryAsync(person => person.UserName!, person => person.Id);
        store.Groups.AddRange(demo.Groups.Select(group => new Group { Name = group.Name, Label = group.Label }));
        store.GroupMembers.AddRange(
            demo.Groups.SelectMany(group => group.People.Select(one => new GroupMember { GroupName = group.Name, PersonId = ids[one] }))
        );
        await store.SaveChangesAsync();
    }

    // An attribute whose records are not there means none.
    private static async Task TieAttributesAsync(RostrumStore store, DemoWorkspace demo, CancellationToken cancellation)
    {
        var sources = await store.Sources.ToDictionaryAsync(source => source.Name, source => source.Id, cancellation);
        var datasets = await store.Datasets.AsNoTracking().ToListAsync(cancellation);
        foreach (var attribute in demo.Attributes.Where(attribute => attribute.Source is not null))
        {
            var kept = await store.Attributes.SingleAsync(row => row.Name == attribute.Name, cancellation);
            if (sources.TryGetValue(attribute.Source!, out var source))
            {
                kept.DatasetId = datasets.Single(row => row.SourceId == source && row.Definition.Name.Value == attribute.Table).Id;
            }
            else
            {
                store.Attributes.Remove(kept);
            }
        }

        await store.SaveChangesAsync(cancellation);
    }

    private static async Task AddServicesAsync(IServiceProvider services, DemoWorkspace demo, CancellationToken cancellation)
    {
        var store = services.GetRequiredService<RostrumStore>();
        foreach (var service in demo.SignIn)
        {
            if (services.GetRequiredService<IConfiguration>()[service.From] is not { Length: > 0 } address)
            {
                continue;
            }

            store.SignInProviders.Add(
                new SignInProvider
                {
                    Name = service.Name,
                    Label = service.Label,
                    IsOn = true,
                    Settings = new ProviderSettings.OpenId { Authority = address, ClientId = service.Client },
                    ProtectedSecret = services.GetRequiredService<ProviderSecrets>().Protect(service.Secret),
                    Rules =
                    [
                        .. service.Rules.Select(rule => new ClaimRule(
                            rule.Claim,
                            rule.Value,
                            Enum.Parse<ClaimGift>(rule.Gives, ignoreCase: true),
                            rule.Name
                        )),
                    ],
                }
            );
        }

        await store.SaveChangesAsync(cancellation);
    }

    private static async Task AddSourcesAsync(IServiceProvider services, DemoWorkspace demo, CancellationToken cancellation)
    {
        foreach (var source in demo.Sources)
        {
            if (await SettingsAsync(services, source, cancellation) is not { } settings)
            {
                continue;
            }

            var (_, refusal) = await services.GetRequiredService<SourceSetUp>().ConnectAsync(source.Name, settings, cancellation);
            if (refusal is not null)
            {
                throw new InvalidOperationException(refusal);
            }
        }
    }

    // Null where the source is not beside this demo.
    private static async Task<SourceSettings?> SettingsAsync(
        IServiceProvider services,
        DemoWorkspace.Source source,
        CancellationToken cancellation
    )
    {
        if (source.File is { } file)
        {
            return services.GetRequiredService<SourceFiles>().Names.Contains(file)
                ? new SourceSettings("", 0, file, "", "", Encrypted: false) { Kind = source.Kind }
                : null;
        }

        if (services.GetRequiredService<IConfiguration>()[source.From!] is not { Length: > 0 } from)
        {
            return null;
        }

        if (Uri.TryCreate(from, UriKind.Absolute, out var address) && address.Scheme is "http" or "https")
        {
            return new SourceSettings("", 0, "", source.User, source.Password, Encrypted: false)
            {
                Kind = source.Kind,
                Options = JsonSerializer.Serialize(source.Options.Add("Address", from)),
                Requests = await File.ReadAllTextAsync(Path.Combine(Folder, source.Requests!), cancellation),
            };
        }

        var text = new DbConnectionStringBuilder { ConnectionString = from };
        string Part(params string[] keys) => Convert.ToString(text[keys.First(text.ContainsKey)], CultureInfo.InvariantCulture)!;
        return new SourceSettings(
            Part("Host", "Server"),
            int.Parse(Part("Port"), CultureInfo.InvariantCulture),
            Part("Database"),
            Part("Username", "User ID"),
            Part("Password"),
            Encrypted: false
        )
        {
            Kind = source.Kind,
        };
    }

    private static async Task AddAppsAsync(IServiceProvider services, DemoWorkspace demo, CancellationToken cancellation)
    {
        var store = services.GetRequiredService<RostrumStore>();
        await AddRelationsAsync(store, demo, cancellation);
        await AddRightsAsync(services, store, demo, cancellation);
        var sources = await store.Sources.Select(source => source.Name).ToListAsync(cancellation);
        var builder = await store.Users.FirstAsync(person => person.UserName == demo.People[0].SignIn, cancellation);
        foreach (var (address, note) in demo.Publish.Where(app => demo.Needs.GetValueOrDefault(app.Key, []).All(sources.Contains)))
        {
            var transfer = services.GetRequiredService<AppTransfer>();
            var plan = await transfer.PlanAsync(FolderOnDisk.Read(Path.Combine(Folder, "apps", address)), cancellation);
            if (!plan.IsPossible)
            {
                throw new InvalidOperationException(string.Join('\n', plan.Problems));
            }

            await transfer.ImportAsync(plan, builder.Id, builder.Name, cancellation);
            store.ChangeTracker.Clear();
            var draft = (await services.GetRequiredService<Drafts>().FindAsync(store, address, cancellation))!;
            await services.GetRequiredService<AppWriting>().PublishAsync(draft, note, builder.Name, cancellation);
            store.ChangeTracker.Clear();
        }
    }

    private static async Task AddRelationsAsync(RostrumStore store, DemoWorkspace demo, CancellationToken cancellation)
    {
        var sources = await store.Sources.AsNoTracking().ToListAsync(cancellation);
        var structures = sources.ToDictionary(source => new SourceId(source.Id), source => source.Structure);
        foreach (var relation in demo.Relations)
        {
            if (sources.FirstOrDefault(source => source.Name == relation.Source) is not { } source)
            {
                continue;
            }

            var rows = await store.Datasets.ToListAsync(cancellation);
            var catalogue = new DatasetCatalogue(rows.Select(row => row.Definition));
            var row = rows.Single(row => row.SourceId == source.Id && row.Definition.Name.Value == relation.Table);
            var end = RelationMaking
                .Ends(catalogue, structures, row.Definition)
                .Single(end => end.Dataset.Name.Value == relation.Target && end.Field.Name.Value == relation.TargetField);
            var (made, problem) = RelationMaking.Make(
                catalogue,
                source.Structure,
                row.Definition,
                row.Definition[new FieldName(relation.Field)],
                end,
                relation.Label,
                relation.Inverse
            );
            row.Definition = made ?? throw new InvalidOperationException(problem);
            await store.SaveChangesAsync(cancellation);
        }

        store.ChangeTracker.Clear();
    }

    private static async Task AddRightsAsync(
        IServiceProvider services,
        RostrumStore store,
        DemoWorkspace demo,
        CancellationToken cancellation
    )
    {
        var writing = services.GetRequiredService<AppWriting>();
        var catalogue = await store.DatasetsAsync(cancellation);
        foreach (var right in demo.Rights)
        {
            var verbs = right.Verbs.Aggregate(Verbs.None, (all, verb) => all | Enum.Parse<Verbs>(verb, ignoreCase: true));
            foreach (var dataset in catalogue.All.Where(dataset => right.Tables is ["all"] || right.Tables.Contains(dataset.Name.Value)))
            {
                await writing.SetAsync(right.Role, dataset.Id, verbs, cancellation);
                var policy = (await store.Policies.FindAsync([right.Role, dataset.Id.Value], cancellation))!;
                (policy.Condition, policy.HiddenFields) = (right.Condition, [.. right.HiddenFields]);
                (policy.CreateCondition, policy.UpdateCondition, policy.DeleteCondition) = (
                    right.WriteCondition,
                    right.WriteCondition,
                    right.WriteCondition
                );
            }
        }

        await store.SaveChangesAsync(cancellation);
        store.ChangeTracker.Clear();
    }

    private static void Check(IdentityResult result)
    {
        if (!result.Succeeded)
        {
            throw new InvalidOperationException(string.Join(" ", result.Errors.Select(error => error.Description)));
        }
    }
}
