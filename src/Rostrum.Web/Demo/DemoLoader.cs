using System.Collections.Immutable;
using System.Data.Common;
using System.Globalization;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Apps;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Demo;

/// <summary>The demo's people, roles, source and two published apps, made by the same code that serves Build.</summary>
internal static class DemoLoader
{
    /// <summary>Every person of the demo signs in with it; demo/people.md says who they are.</summary>
    public const string Password = "harbour-light-42";

    private static readonly (string Name, string Label)[] Roles =
    [
        (Role.Builder, "Builder"), (Role.Owner, "Owner"), ("superintendent", "Marine superintendent"), ("engineer", "Engineer"),
        ("port-agent", "Port agent"), ("auditor", "Auditor"), ("clerk", "Clerk"),
    ];

    private static readonly (string SignIn, string Name, string Role)[] People =
    [
        ("bea", "Bea Holm", Role.Builder), ("oskar", "Oskar Lind", Role.Owner), ("maren", "Maren Vik", "superintendent"),
        ("egil", "Egil Strand", "engineer"), ("tuva", "Tuva Berg", "engineer"), ("pia", "Pia Sund", "port-agent"),
        ("jon", "Jon Ness", "port-agent"), ("aud", "Aud Falk", "auditor"), ("clem", "Clem Moe", "clerk"),
    ];

    private static readonly (string SignIn, string Port)[] Ports = [("pia", "BRW"), ("jon", "SKS")];

    private sealed record DemoApp(string Name, string[] Tables, string Note, (string Role, string[] Pages)[] Audience, Func<AppDefinition, Func<string, Dataset>, AppDefinition> Shaped);

    private static readonly DemoApp[] Apps =
    [
        new("Maintenance", ["defects", "vessels", "dockings", "fuel_logs"], "Defects, dockings and fuel in one place",
            [(Role.Owner, ["*"]), ("superintendent", ["*"]), ("engineer", ["today", "defects", "defect", "vessels", "vessel", "dockings", "fleet"]), ("auditor", ["*"]), ("clerk", ["fuel_logs"])], DemoMaintenance.Shaped),
        new("Timetable", ["sailings", "routes", "ports", "timetable_changes"], "Sailings, and the changes that people ask for",
            [(Role.Owner, ["*"]), ("superintendent", ["*"]), ("port-agent", ["port", "sailings", "timetable_changes"]), ("auditor", ["*"])], DemoTimetable.Shaped),
    ];

    private static readonly (string Role, string[] Tables, Verbs Verbs)[] Rights =
    [
        (Role.Owner, ["*"], Verbs.View),
        ("auditor", ["*"], Verbs.View),
        ("superintendent", ["*"], Verbs.View),
        ("superintendent", ["defects", "timetable_changes"], Verbs.All),
        ("superintendent", ["dockings", "vessels"], Verbs.View | Verbs.Create | Verbs.Update),
        ("engineer", ["vessels", "dockings"], Verbs.View),
        ("engineer", ["defects"], Verbs.View | Verbs.Create | Verbs.Update),
        ("port-agent", ["routes", "ports", "vessels"], Verbs.View),
        ("port-agent", ["sailings"], Verbs.View | Verbs.Update),
        ("port-agent", ["timetable_changes"], Verbs.View | Verbs.Create),
        ("clerk", ["vessels", "ports"], Verbs.View),
        ("clerk", ["fuel_logs"], Verbs.View | Verbs.Create | Verbs.Update),
    ];

    // What narrows rights: records by a formula over the record and who is signed in, and fields.
    private static readonly (string Role, string Table, string? Condition, string? WriteCondition, string[] Hidden)[] Limits =
    [
        ("engineer", "defects", null, "OR(reported_by = user.name, state <> \"closed\")", []),
        ("port-agent", "sailings", "OR(route.origin_port.code = user.port, route.destination_port.code = user.port)", "departs >= NOW() - 2", ["fare_revenue"]),
        ("port-agent", "timetable_changes", "OR(asked_by = user.name, state <> \"refused\")", null, []),
        ("clerk", "fuel_logs", null, null, ["cost"]),
    ];

    public static async Task LoadAsync(IServiceProvider services, CancellationToken cancellation)
    {
        await using var scope = services.CreateAsyncScope();
        await AddPeopleAsync(scope.ServiceProvider);
        await AddSourceAsync(scope.ServiceProvider, cancellation);
        await AddComputedFieldsAsync(scope.ServiceProvider, cancellation);
        await AddAppsAsync(scope.ServiceProvider, cancellation);
    }

    private static async Task AddPeopleAsync(IServiceProvider services)
    {
        var roles = services.GetRequiredService<RoleManager<Role>>();
        foreach (var (name, label) in Roles)
        {
            Check(await roles.CreateAsync(new Role { Name = name, Label = label }));
        }

        var store = services.GetRequiredService<RostrumStore>();
        store.Attributes.Add(new StoredAttribute { Name = "port", Label = "Port", Type = new FieldType.Text() });
        await store.SaveChangesAsync();
        var people = services.GetRequiredService<UserManager<Person>>();
        foreach (var (signIn, name, role) in People)
        {
            var person = new Person { UserName = signIn, Name = name, Email = $"{signIn}@brackwater.example", EmailConfirmed = true };
            if (Ports.FirstOrDefault(port => port.SignIn == signIn).Port is { } port)
            {
                person.Attributes = person.Attributes.SetItem("port", port);
            }

            Check(await people.CreateAsync(person, Password));
            Check(await people.AddToRoleAsync(person, role));
        }
    }

    private static async Task AddSourceAsync(IServiceProvider services, CancellationToken cancellation)
    {
        var text = new DbConnectionStringBuilder
        {
            ConnectionString = services.GetRequiredService<IConfiguration>()["ROSTRUM_FLEET"] ?? throw new InvalidOperationException("ROSTRUM_FLEET names the ferry company's database."),
        };
        string Part(string key) => Convert.ToString(text[key], CultureInfo.InvariantCulture)!;
        var settings = new SourceSettings(Part("Host"), int.Parse(Part("Port"), CultureInfo.InvariantCulture), Part("Database"), Part("Username"), Part("Password"), Encrypted: false);
        var (_, refusal) = await services.GetRequiredService<SourceSetUp>().ConnectAsync("Fleet", settings, cancellation);
        if (refusal is not null)
        {
            throw new InvalidOperationException(refusal);
        }
    }

    private static async Task AddComputedFieldsAsync(IServiceProvider services, CancellationToken cancellation)
    {
        var store = services.GetRequiredService<RostrumStore>();
        foreach (var (table, label, formula) in DemoDatasets.ComputedFields)
        {
            var catalogue = await store.DatasetsAsync(cancellation);
            var dataset = catalogue.All.Single(dataset => dataset.Name.Value == table);
            var made = ComputedFieldMaking.Make(catalogue, dataset, null, label, formula, null);
            var stored = await store.Datasets.FirstAsync(row => row.Id == dataset.Id.Value, cancellation);
            stored.Definition = made.Dataset ?? throw new InvalidOperationException($"{label}: {made.Problem ?? made.Formula.Problems[0].Message}");
            await store.SaveChangesAsync(cancellation);
        }

        foreach (var stored in await store.Datasets.ToListAsync(cancellation))
        {
            stored.Definition = DemoDatasets.Settled(stored.Definition);
        }

        await store.SaveChangesAsync(cancellation);
    }

    private static async Task AddAppsAsync(IServiceProvider services, CancellationToken cancellation)
    {
        var store = services.GetRequiredService<RostrumStore>();
        var writing = services.GetRequiredService<AppWriting>();
        var catalogue = await store.DatasetsAsync(cancellation);
        foreach (var (role, tables, verbs) in Rights)
        {
            foreach (var dataset in catalogue.All.Where(dataset => tables is ["*"] || tables.Contains(dataset.Name.Value)))
            {
                await writing.SetAsync(role, dataset.Id, verbs, cancellation);
            }
        }

        foreach (var (role, table, condition, writes, hidden) in Limits)
        {
            var policy = store.Policies.Local.Single(policy => policy.Role == role && policy.DatasetId == catalogue.All.Single(dataset => dataset.Name.Value == table).Id.Value);
            (policy.Condition, policy.WriteCondition, policy.HiddenFields) = (condition, writes, hidden);
        }

        await store.SaveChangesAsync(cancellation);
        foreach (var app in Apps)
        {
            var address = await writing.DraftAsync(app.Name, [.. app.Tables.Select(table => catalogue.All.Single(dataset => dataset.Name.Value == table))], catalogue, cancellation);
            var drafts = services.GetRequiredService<Drafts>();
            var drafted = (await drafts.FindAsync(store, address, cancellation))!;
            var shaped = app.Shaped(drafted.Draft, name => catalogue.All.Single(dataset => dataset.Name.Value == name));
            shaped = shaped with
            {
                Pages = [.. shaped.Pages.Select(page => page with
                {
                    Audience = [Role.Builder, .. app.Audience.Where(audience => audience.Pages is ["*"] || audience.Pages.Contains(page.Address)).Select(audience => audience.Role)],
                })],
            };
            store.ChangeTracker.Clear();
            var draft = Drafts.Replace(store, drafted, shaped);
            await store.SaveChangesAsync(cancellation);
            store.ChangeTracker.Clear();
            await writing.PublishAsync(draft, app.Note, People[0].Name, cancellation);
        }
    }

    private static void Check(IdentityResult result)
    {
        if (!result.Succeeded)
        {
            throw new InvalidOperationException(string.Join(" ", result.Errors.Select(error => error.Description)));
        }
    }
}
