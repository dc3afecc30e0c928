using System.Net;
using Microsoft.EntityFrameworkCore;

namespace Rostrum.Web.Tests;

/// <summary>An attribute of people that is a record: conditions ask for its fields.</summary>
public sealed class PersonRecordTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task A_person_is_tied_to_a_record_and_sees_what_its_fields_say()
    {
        var oskar = await application.AsAsync("oskar");
        var (vessels, defects) = (await DatasetAsync("vessels"), await DatasetAsync("defects"));
        using (
            var added = await oskar.PostAsync(
                "/people/attributes",
                "/people/attributes",
                ("label", "Ship"),
                ("type", $"{vessels.Id}"),
                ("self", "true")
            )
        )
        {
            Assert.Equal(HttpStatusCode.Redirect, added.StatusCode);
        }

        // Whoever is tied to no record sees none.
        var access = $"/build/sources/{defects.SourceId:N}/{defects.Id}/access?role=engineer";
        using (
            var set = await oskar.GrantAsync(
                access,
                ("verb.View", "on"),
                ("reads.as", "formula"),
                ("reads.formula", "vessel.hull_number = user.ship.hull_number")
            )
        )
        {
            Assert.Equal(HttpStatusCode.Redirect, set.StatusCode);
        }

        var egil = await application.AsAsync("egil");
        Assert.Equal("0 defects", await CountAsync(egil));

        var id = await application.InStoreAsync(store =>
            store.Users.Where(row => row.UserName == "egil").Select(row => row.Id).SingleAsync()
        );
        var person = $"/people/{id:N}";
        var title = await application.FleetScalarAsync("SELECT name FROM vessels WHERE hull_number = 'BF-103'");
        (string, string)[] form = [("name", "Egil Strand"), ("role", "engineer"), ("attribute.ship", "No such ship")];
        using (var wrong = await oskar.PostAsync(person, person, form))
        {
            Assert.Contains(
                "no vessel is called “No such ship”",
                WebUtility.HtmlDecode(await wrong.Content.ReadAsStringAsync()),
                StringComparison.Ordinal
            );
        }

        form[^1] = ("attribute.ship", title);
        var changes = await oskar.PostAsync(person, person, form);
        var looked = await Visitor.ParseAsync(changes);
        var wanted = await application.FleetScalarAsync("SELECT count(*) FROM defects WHERE vessel = 'BF-103'");
        Assert.Contains($"Egil Strand may now view {wanted} defects", looked.QuerySelector(".consequences")!.TextContent);
        var sure = looked.QuerySelector(".consequences input[name=sure]")!.GetAttribute("value")!;
        using (var saved = await oskar.PostAsync(person, person, [.. form, ("sure", sure)]))
        {
            Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);
        }

        Assert.Equal($"{wanted} defects", await CountAsync(egil));
        Assert.Equal(title, (await oskar.PageAsync(person)).QuerySelector("#attribute\\.ship")!.GetAttribute("value"));

        // People say it of themselves where that is allowed.
        var other = await application.FleetScalarAsync("SELECT name FROM vessels WHERE hull_number = 'BF-104'");
        using (await egil.PostAsync("/account", "/account?handler=Details", ("attribute.ship", other))) { }
        var others = await application.FleetScalarAsync("SELECT count(*) FROM defects WHERE vessel = 'BF-104'");
        Assert.Equal($"{others} defects", await CountAsync(egil));
    }

    [Fact]
    public async Task Roles_are_compared_dataset_by_dataset()
    {
        var oskar = await application.AsAsync("oskar");
        var page = await oskar.PageAsync("/people/roles/compare?one=auditor&other=clerk");
        var fuel = page.QuerySelectorAll("tbody tr").Single(row => row.QuerySelector("th")!.TextContent == "Fuel logs");
        Assert.Contains("view, add, change", fuel.QuerySelectorAll("td")[1].TextContent);
        Assert.Contains("without cost", fuel.QuerySelectorAll("td")[1].TextContent);
        Assert.Contains("differs", fuel.TextContent);
        var same = await oskar.PageAsync("/people/roles/compare?one=auditor&other=auditor&differences=true");
        Assert.Contains("These two may do the same.", same.QuerySelector(".state")!.TextContent);
    }

    private static async Task<string> CountAsync(Visitor visitor) =>
        (await visitor.PageAsync("/apps/maintenance/defects")).QuerySelector(".count")!.TextContent;

    private Task<(Guid Id, Guid SourceId)> DatasetAsync(string name) =>
        application.InStoreAsync(async store =>
        {
            var row = (await store.Datasets.AsNoTracking().ToListAsync()).Single(row => row.Definition.Name.Value == name);
            return (row.Id, row.SourceId);
        });
}
