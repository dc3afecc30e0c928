using System.Net;
using Rostrum.Core.Apps;
using Rostrum.Web.Build.Apps.Starters;

namespace Rostrum.Web.Tests;

/// <summary>A new app, whichever way it is begun.</summary>
public sealed class StarterTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private async Task<string> IdAsync(string dataset) =>
        (
            await application.InStoreAsync(async store =>
                (await store.DatasetsAsync(default)).All.Single(known => known.Name.Value == dataset)
            )
        ).Id.ToString();

    private async Task<AppDefinition> MadeAsync(Visitor visitor, params (string, string)[] fields)
    {
        using var made = await visitor.PostAsync("/build/apps/new", "/build/apps/new?handler=Starter", fields);
        Assert.Equal(HttpStatusCode.Redirect, made.StatusCode);
        var app = (await application.DraftAsync(made.Headers.Location!.OriginalString.Split('/')[^1])).Draft;
        var catalogue = await application.InStoreAsync(store => store.DatasetsAsync(default));
        Assert.Empty(AppProblems.Of(app, catalogue, null).Select(problem => $"{problem.Panel}: {problem.Message}"));
        return app;
    }

    [Fact]
    public async Task Requests_wait_are_agreed_to_and_are_refused()
    {
        var bea = await application.AsAsync("bea");
        var app = await MadeAsync(
            bea,
            ("starter", "requests"),
            ("name", "Changes to agree"),
            ("THE_REQUESTS", await IdAsync("timetable_changes")),
            ("THE_STATE", "state"),
            ("THE_WAITING", "asked"),
            ("THE_AGREED", "agreed"),
            ("THE_REFUSED", "refused")
        );
        Assert.Equal("Changes to agree", app.Name);

        const string Decide = "/try/changes-to-agree/decide";
        var waiting = await application.FleetScalarAsync("SELECT count(*) FROM timetable_changes WHERE state = 'asked'");
        var page = await bea.PageAsync(Decide);
        Assert.Equal(waiting, page.QuerySelector("#panel-waiting .big-figure")!.TextContent.Trim());
        var key = page.QuerySelector("#panel-to_decide tbody tr")!.GetAttribute("data-key");
        await bea.AllowChangesAsync(Decide);
        using var agreed = await bea.PostAsync(Decide, $"{Decide}?handler=Run&panel=to_decide&at=Record&row={key}&action=Agree");
        Assert.Equal("agreed", await application.FleetScalarAsync($"SELECT state::text FROM timetable_changes WHERE id = {key}"));
        Assert.DoesNotContain(
            "state",
            (await bea.PageAsync("/try/changes-to-agree/requests"))
                .QuerySelectorAll("#panel-new_request [name^='v.']")
                .Select(input => input.GetAttribute("name")![2..])
        );
    }

    [Fact]
    public async Task A_list_shows_the_chosen_record_and_what_belongs_to_it()
    {
        var bea = await application.AsAsync("bea");
        await MadeAsync(
            bea,
            ("starter", "list-with-details"),
            ("name", "Vessels at a glance"),
            ("THE_RECORDS", await IdAsync("vessels")),
            ("THE_PARTS", $"{await IdAsync("defects")} defects")
        );
        var page = await bea.PageAsync("/try/vessels-at-a-glance/records?records.selected=BF-101");
        Assert.Equal(
            await application.FleetScalarAsync("SELECT count(*) FROM defects WHERE vessel = 'BF-101'"),
            page.QuerySelector("#panel-parts .count")!.TextContent.Split(' ')[0]
        );
        Assert.NotNull(page.QuerySelector("#panel-record"));
    }

    [Theory]
    [InlineData("nothing-of-that-name", HttpStatusCode.NotFound)]
    [InlineData("requests", HttpStatusCode.OK)]
    public async Task What_is_missing_is_said(string starter, HttpStatusCode expected)
    {
        var bea = await application.AsAsync("bea");
        using var answer = await bea.PostAsync("/build/apps/new", "/build/apps/new?handler=Starter", ("starter", starter), ("name", " "));
        Assert.Equal(expected, answer.StatusCode);
        if (expected == HttpStatusCode.OK)
        {
            Assert.Contains("Give the app a name.", (await Visitor.ParseAsync(answer)).Body!.TextContent, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task An_empty_app_has_a_page_and_an_address_of_its_own()
    {
        var bea = await application.AsAsync("bea");
        using var first = await bea.PostAsync("/build/apps/new", "/build/apps/new?handler=Empty", ("name", "Quay & Co"));
        using var second = await bea.PostAsync("/build/apps/new", "/build/apps/new?handler=Empty", ("name", "Quay & Co"));
        Assert.NotEqual(first.Headers.Location, second.Headers.Location);
        Assert.Contains("Quay & Co", (await bea.PageAsync(first.Headers.Location!.OriginalString)).Title!, StringComparison.Ordinal);
    }

    [Fact]
    public void Every_starter_says_what_it_is() =>
        Assert.All(Starter.All, starter => Assert.True(starter is { Name.Length: > 0, Description.Length: > 40, Tables.IsEmpty: false }));
}
