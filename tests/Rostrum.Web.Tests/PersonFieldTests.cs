using System.Net;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Sources;
using Rostrum.Sources.People;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>
/// A field that holds a person refers to the people of the workspace, whose rights are those of a dataset like any other.
/// </summary>
public sealed class PersonFieldTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private RecordGate Gate => application.Services.GetRequiredService<RecordGate>();

    private async Task<(DatasetCatalogue Catalogue, Dataset Rounds, Dataset People)> MadeAsync(string label)
    {
        var person = OwnKind.All.Single(kind => kind.Type is OwnType.Person);
        await application.WithOwnTableAsync(label, person);
        var catalogue = (await application.Services.GetRequiredService<WorkspaceCache>().GetAsync(default)).Datasets;
        var rounds = catalogue.All.Single(dataset => dataset.Label == label);
        return (catalogue, rounds, catalogue.Find(Assert.Single(rounds.Relations).Target)!);
    }

    [Fact]
    public async Task A_person_is_named_found_and_known_to_formulas_by_whoever_may_see_people()
    {
        var (catalogue, rounds, people) = await MadeAsync("Rounds");
        Assert.Equal(("People", "person"), (people.Label, people.RecordLabel.ToLowerInvariant()));
        var field = new FieldName(OwnTableSpace.NameOf(OwnType.Person));
        var (egil, maren) = await application.InStoreAsync(async store =>
            (
                (await store.Users.SingleAsync(one => one.UserName == "egil")).Id,
                (await store.Users.SingleAsync(one => one.UserName == "maren")).Id
            )
        );
        await DemoApplication.ScalarAsync(
            application.StoreConnection,
            $"INSERT INTO own_tables.rounds (name, {field}) "
                + $"VALUES ('Deck', '{egil}'), ('Engine', '{maren}'), ('Galley', '{egil}') RETURNING 1"
        );
        var request = new ReadRequest(rounds.Id)
        {
            Fields = [new("name"), field],
            Titles = [field],
            Sort = [new SortBy(new("name"))],
        };
        async Task<string> ReadAsync(ReadRequest asked, Grants grants) =>
            string.Join(
                ", ",
                Assert
                    .IsType<ReadResult.Rows>(await Gate.ReadAsync(catalogue, asked, grants, default))
                    .Records.Select(record => $"{record[new("name")]} {record.TitleOf(field)}".Trim())
            );

        Assert.Equal("Deck Egil Strand, Engine Maren Vik, First, Galley Egil Strand", await ReadAsync(request, Grants.ViewEverything));
        Assert.Equal(
            "Engine Maren Vik",
            await ReadAsync(request with { Filter = new Filter.Holds($"{field}.name = \"Maren Vik\"") }, Grants.ViewEverything)
        );
        Assert.Equal("Deck Egil Strand, Galley Egil Strand", await ReadAsync(request with { Search = "strand" }, Grants.ViewEverything));

        // Of which somebody may see only their own, by a policy that names who is signed in.
        var own = Policy.On("agent", rounds.Id, Verbs.View) with { Condition = new Filter.Holds($"{field}.id = user.id") };
        Grants Of(Guid id) =>
            new(
                Rights.Of(new HashSet<string> { "agent" }, [own, Policy.On("agent", people.Id, Verbs.View)]),
                new SignedIn("", null, ["agent"]) { Id = id }
            );
        Assert.Equal("Engine Maren Vik", await ReadAsync(request, Of(maren)));
        Assert.Equal("Deck Egil Strand, Galley Egil Strand", await ReadAsync(request, Of(egil)));

        // Without a right to people there are no names of them, and nobody changes them here.
        var without = Grants.Of(new HashSet<string> { "agent" }, [Policy.On("agent", rounds.Id, Verbs.View)]);
        Assert.Equal("Deck, Engine, First, Galley", await ReadAsync(request, without));
        Assert.IsType<ReadResult.Denied>(await Gate.ReadAsync(catalogue, new ReadRequest(people.Id), without, default));
        Assert.Equal(Verbs.View, people.Takes);

        // How many of whom, from the other side.
        var counted = new ReadRequest(people.Id)
        {
            Fields = [new("name")],
            Computed = [new ComputedColumn(new("n"), "COUNT(rounds)")],
            Filter = new Filter.Holds("COUNT(rounds) > 0"),
            Sort = [new SortBy(new("name"))],
        };
        var rows = Assert.IsType<ReadResult.Rows>(await Gate.ReadAsync(catalogue, counted, Grants.ViewEverything, default)).Records;
        Assert.Equal("Egil Strand 2, Maren Vik 1", string.Join(", ", rows.Select(row => $"{row[new("name")]} {row[new("n")]:0}")));
    }

    [Fact]
    public async Task An_app_that_is_drafted_over_it_lets_its_audience_see_the_names_of_people_and_nothing_else_of_them()
    {
        var (_, rounds, people) = await MadeAsync("Patrols");
        var bea = await application.AsAsync("bea");
        var address = $"/build/sources/{rounds.Source.Value:N}/draft?chosen={rounds.Id.Value}";
        var form = Visitor.Filled((await bea.PageAsync(address)).QuerySelector("main form")!, ("AppName", "Patrols"));
        using (var drafted = await bea.PostAsync(address, address, [.. form, ("Audience", "port-agent")]))
        {
            Assert.Equal(HttpStatusCode.Redirect, drafted.StatusCode);
        }

        var rights = await application.InStoreAsync(store =>
            store.Policies.Where(policy => policy.DatasetId == people.Id.Value).ToListAsync()
        );
        Assert.Equal(["builder", "port-agent"], rights.Select(policy => policy.Role).Order());
        Assert.All(rights, policy => Assert.True(policy.Verbs.HasFlag(Verbs.View)));
        Assert.All(rights, policy => Assert.Contains("email", policy.HiddenFields));
        Assert.All(rights, policy => Assert.DoesNotContain("name", policy.HiddenFields));
    }

    [Fact]
    public async Task Another_field_refers_to_the_same_people_and_a_new_record_begins_with_who_is_signed_in()
    {
        var (_, first, people) = await MadeAsync("Watches");
        var (catalogue, second, same) = await MadeAsync("Drills");
        Assert.Equal((people.Id, 1), (same.Id, catalogue.All.Count(dataset => dataset.Table.Name == WorkspacePeople.Kind)));
        Assert.NotEqual(first.Relations[0].InverseName, second.Relations[0].InverseName);
        var field = second[new FieldName(OwnTableSpace.NameOf(OwnType.Person))];
        Assert.Equal(OwnType.Person, OwnKind.Of(field, relation: true).Type);

        var id = Guid.NewGuid();
        var value = FieldDefault.Value(
            field with
            {
                Default = "=user.id",
            },
            new SignedIn("Maren Vik", null, []) { Id = id },
            new Rostrum.Core.Formulas.FormulaContext(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc)
        );
        Assert.Equal(new Parsed.Value(id), value);
    }
}
