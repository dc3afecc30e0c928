using System.Net;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

public sealed class WorkshopTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private async Task<string> TableAsync(string name)
    {
        var dataset = (await application.InStoreAsync(store => store.Datasets.ToListAsync())).Single(row => row.Definition.Name.Value == name);
        return $"/workshop/sources/{dataset.SourceId:N}/{dataset.Id:N}";
    }

    private static (string, string)[] Fields(IDocument page) =>
    [
        .. page.QuerySelectorAll("#correct input[name]:not([name^=__])").Where(input => input.GetAttribute("type") != "checkbox" || input.HasAttribute("checked"))
            .Select(input => (input.GetAttribute("name")!, input.GetAttribute("value") ?? "on")),
        .. page.QuerySelectorAll("#title option[selected]").Select(option => ("title", option.GetAttribute("value")!)),
    ];

    [Fact]
    public async Task A_connection_form_with_gaps_says_what_is_missing_and_keeps_the_rest()
    {
        var bea = await application.AsAsync("bea");
        var page = await Visitor.ParseAsync(await bea.PostAsync("/workshop/sources/new", "/workshop/sources/new", ("Name", "Ledger"), ("Port", "99999"), ("Host", ""), ("Database", "books"), ("UserName", "")));
        var said = page.QuerySelector("#outcome")!.TextContent;
        Assert.All(new[] { "A port lies between 1 and 65535.", "Write the name or address of the machine.", "Write the user who connects." }, message => Assert.Contains(message, said, StringComparison.Ordinal));
        Assert.Equal("books", page.QuerySelector("#Database")!.GetAttribute("value"));
    }

    [Fact]
    public async Task Two_sources_cannot_have_one_name()
    {
        var fleet = new Npgsql.NpgsqlConnectionStringBuilder(application.FleetConnection);
        var bea = await application.AsAsync("bea");
        var page = await Visitor.ParseAsync(await bea.PostAsync("/workshop/sources/new", "/workshop/sources/new",
            ("Name", "Fleet"), ("Host", fleet.Host!), ("Port", $"{fleet.Port}"), ("Database", fleet.Database!), ("UserName", fleet.Username!), ("Password", fleet.Password!)));
        Assert.Contains("There is a source named “Fleet” already.", page.QuerySelector("#outcome")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_relation_is_shown_with_the_record_to_which_most_lead()
    {
        var most = await application.FleetScalarAsync("SELECT v.name || ' has ' || count(*) FROM defects d JOIN vessels v ON v.hull_number = d.vessel GROUP BY v.name ORDER BY count(*) DESC, v.name LIMIT 1");
        var bea = await application.AsAsync("bea");
        foreach (var table in new[] { "defects", "vessels" })
        {
            Assert.Contains($"{most}, for example.", (await bea.PageAsync(await TableAsync(table))).Body!.TextContent, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task A_table_shows_what_was_guessed_and_why()
    {
        var page = await (await application.AsAsync("bea")).PageAsync(await TableAsync("routes"));
        Assert.Contains("No field is called a name", page.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(3, page.QuerySelectorAll(".relations input[type=checkbox]").Length);
        Assert.Contains("Each route has one destination port: a port.", page.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(8, page.QuerySelectorAll(".sample tbody tr").Length);
    }

    [Fact]
    public async Task A_correction_shows_in_the_draft_and_in_the_live_app_only_after_publishing()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("ports");
        var page = await bea.PageAsync(table);
        (string, string)[] corrected = [.. Fields(page).Where(field => field.Item1 is not ("label.name" or "shown.latitude" or "title")), ("label.name", "Harbour"), ("title", "code"), ("title", "island")];
        using var saved = await bea.PostAsync(table, table + "?handler=Correct", corrected);
        Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);

        var routes = "/timetable/routes?q=R01";
        Assert.Contains("BRW · Main island", (await bea.PageAsync("/try" + routes)).QuerySelector("tbody tr")!.TextContent, StringComparison.Ordinal);
        Assert.DoesNotContain("Main island", (await bea.PageAsync("/apps" + routes)).QuerySelector("tbody tr")!.TextContent, StringComparison.Ordinal);
        var app = await bea.PageAsync("/workshop/apps/timetable");
        Assert.Contains("Draft, changed since version 1", app.Body!.TextContent, StringComparison.Ordinal);

        using var published = await bea.PostAsync("/workshop/apps/timetable", "/workshop/apps/timetable?handler=Publish", ("Note", "Harbours by their code"));
        Assert.Contains("BRW · Main island", (await bea.PageAsync("/apps" + routes)).QuerySelector("tbody tr")!.TextContent, StringComparison.Ordinal);
        Assert.Equal([1, 2], await application.InStoreAsync(store => store.Versions.Where(version => version.Note != "" && store.Apps.Any(row => row.Id == version.AppId && row.Address == "timetable")).Select(version => version.Number).Order().ToListAsync()));
    }

    [Fact]
    public async Task A_label_cannot_be_blank_and_a_title_needs_a_part()
    {
        var bea = await application.AsAsync("bea");
        var table = await TableAsync("vessels");
        var fields = Fields(await bea.PageAsync(table));
        var blank = await Visitor.ParseAsync(await bea.PostAsync(table, table + "?handler=Correct", [.. fields.Where(field => field.Item1 != "label.name"), ("label.name", " ")]));
        Assert.Contains("A label cannot be blank.", blank.Body!.TextContent, StringComparison.Ordinal);
        var untitled = await Visitor.ParseAsync(await bea.PostAsync(table, table + "?handler=Correct", [.. fields.Where(field => field.Item1 != "title")]));
        Assert.Contains("Choose at least one part of the title.", untitled.Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_drafted_app_is_for_builders_alone_until_somebody_gives_rights()
    {
        var bea = await application.AsAsync("bea");
        var fuel = await TableAsync("fuel_logs");
        var id = fuel[^32..];
        Assert.Contains("Choose at least one table.", (await Visitor.ParseAsync(await bea.PostAsync(fuel, fuel + "?handler=Draft", ("AppName", "Bunkers")))).Body!.TextContent, StringComparison.Ordinal);
        using var drafted = await bea.PostAsync(fuel, fuel + "?handler=Draft", ("AppName", "Bunkers & Co"), ("Chosen", id));
        Assert.Equal("/workshop/apps/bunkers-co", drafted.Headers.Location!.OriginalString);
        Assert.NotEmpty((await bea.PageAsync("/try/bunkers-co/fuel_logs")).QuerySelectorAll("tbody tr"));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync("/apps/bunkers-co"));

        using var published = await bea.PostAsync("/workshop/apps/bunkers-co", "/workshop/apps/bunkers-co?handler=Publish", ("Note", "first"));
        var egil = await application.AsAsync("egil");
        Assert.Equal(HttpStatusCode.Forbidden, await egil.StatusAsync("/apps/bunkers-co/fuel_logs"));
        using var given = await bea.PostAsync("/workshop/apps/bunkers-co", "/workshop/apps/bunkers-co?handler=Access&role=engineer", ("page.fuel_logs", "on"), ($"{Verbs.View}.{id}", "on"));
        Assert.Equal(HttpStatusCode.Forbidden, await egil.StatusAsync("/apps/bunkers-co/fuel_logs"));
        using var again = await bea.PostAsync("/workshop/apps/bunkers-co", "/workshop/apps/bunkers-co?handler=Publish", ("Note", "for engineers"));
        var page = await egil.PageAsync("/apps/bunkers-co/fuel_logs");
        Assert.NotEmpty(page.QuerySelectorAll("tbody tr"));
        Assert.Null(page.QuerySelector("[data-new]"));
    }
}
