using System.Data.Common;
using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Files;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Apps;
using Rostrum.Web.Build.Apps.Files;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Demo;

/// <summary>
/// Makes the demo of what the folder <c>demo</c> says, by the same code that serves Build: people and rights, a source, and its published
/// apps.
/// </summary>
internal static class DemoLoader
{
    private const string DuesFile = "dues.db";
    private const string HarbourUser = "brackwater";
    private const string HarbourPassword = "berth-and-buoy-9";

    /// <summary>Every person of the demo signs in with it; demo/people.md says who they are.</summary>
    public const string Password = "harbour-light-42";

    private static readonly string Folder = Path.Combine(AppContext.BaseDirectory, "demo");

    public static async Task LoadAsync(IServiceProvider services, CancellationToken cancellation)
    {
        await using var scope = services.CreateAsyncScope();
        var demo = YamlDocuments.Read<DemoWorkspace>(await File.ReadAllTextAsync(Path.Combine(Folder, "workspace.yaml"), cancellation));
        await AddPeopleAsync(scope.ServiceProvider, demo);
        await AddSourceAsync(scope.ServiceProvider, cancellation);
        await AddAppsAsync(scope.ServiceProvider, demo, cancellation);
    }

    private static async Task AddPeopleAsync(IServiceProvider services, DemoWorkspace demo)
    {
        var roles = services.GetRequiredService<RoleManager<Role>>();
        foreach (var (name, label) in demo.Roles)
        {
            Check(await roles.CreateAsync(new Role { Name = name, Label = label }));
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
        }
    }

    private static async Task AddSourceAsync(IServiceProvider services, CancellationToken cancellation)
    {
        var text = new DbConnectionStringBuilder
        {
            ConnectionString = services.GetRequiredService<IConfiguration>()["ROSTRUM_FLEET"]
                ?? throw new InvalidOperationException("ROSTRUM_FLEET names the ferry company's database."),
        };
        string Part(string key) => Convert.ToString(text[key], CultureInfo.InvariantCulture)!;
        var settings = new SourceSettings(
            Part("Host"),
            int.Parse(Part("Port"), CultureInfo.InvariantCulture),
            Part("Database"),
            Part("Username"),
            Part("Password"),
            Encrypted: false
        );
        await ConnectAsync(services, "Fleet", settings, cancellation);
        await AddHarbourAsync(services, cancellation);
        if (services.GetRequiredService<SourceFiles>().Names.Contains(DuesFile))
        {
            await ConnectAsync(
                services,
                "Dues",
                new SourceSettings("", 0, DuesFile, "", "", Encrypted: false) { Kind = "sqlite" },
                cancellation
            );
        }
    }

    // The harbour office's service, where it runs beside the demo.
    private static async Task AddHarbourAsync(IServiceProvider services, CancellationToken cancellation)
    {
        if (services.GetRequiredService<IConfiguration>()["ROSTRUM_HARBOUR"] is not { Length: > 0 } address)
        {
            return;
        }

        var options = new SortedDictionary<string, string>(StringComparer.Ordinal)
        {
            ["Address"] = address,
            ["SignIn"] = "token",
            ["TokenPath"] = "/sign-in",
            ["TokenBody"] = """{"user": "${user}", "password": "${password}"}""",
            ["TokenPointer"] = "/token",
            ["LifetimePointer"] = "/expires_in",
        };
        await ConnectAsync(
            services,
            "Harbour office",
            new SourceSettings("", 0, "", HarbourUser, HarbourPassword, Encrypted: false)
            {
                Kind = "http",
                Options = JsonSerializer.Serialize(options),
                Requests = await File.ReadAllTextAsync(Path.Combine(Folder, "harbour.json"), cancellation),
            },
            cancellation
        );
    }

    private static async Task ConnectAsync(IServiceProvider services, string name, SourceSettings settings, CancellationToken cancellation)
    {
        var (_, refusal) = await services.GetRequiredService<SourceSetUp>().ConnectAsync(name, settings, cancellation);
        if (refusal is not null)
        {
            throw new InvalidOperationException(refusal);
        }
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
                (policy.Condition, policy.WriteCondition, policy.HiddenFields) = (
                    right.Condition,
                    right.WriteCondition,
                    [.. right.HiddenFields]
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
