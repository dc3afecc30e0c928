using System.Net;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Store;
using Rostrum.Web.Demo;

namespace Rostrum.Web.Tests;

public sealed class AccessTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Sailing = "/apps/timetable/sailings?sailings.selected=1";

    [Fact]
    public async Task Nobody_comes_in_without_signing_in_and_comes_back_to_the_same_place_afterwards()
    {
        var visitor = application.Anonymous();
        using var answer = await visitor.Client.GetAsync("/apps/timetable/sailings?sailings.q=kittiwake&sailings.page=2");
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        var signIn = answer.Headers.Location!.PathAndQuery;
        Assert.Equal("/sign-in?returnUrl=%2Fapps%2Ftimetable%2Fsailings%3Fsailings.q%3Dkittiwake%26sailings.page%3D2", signIn);
        using var signedIn = await visitor.PostAsync(
            signIn,
            "/sign-in",
            ("UserName", "pia"),
            ("Password", DemoLoader.Password),
            ("ReturnUrl", "/apps/timetable/sailings?sailings.q=kittiwake&sailings.page=2")
        );
        Assert.Equal("/apps/timetable/sailings?sailings.q=kittiwake&sailings.page=2", signedIn.Headers.Location!.OriginalString);
    }

    [Fact]
    public async Task An_old_address_of_the_Build_area_leads_to_its_new_one()
    {
        using var answer = await application.Anonymous().Client.GetAsync("/workshop/apps/timetable?role=port-agent");
        Assert.Equal(HttpStatusCode.MovedPermanently, answer.StatusCode);
        Assert.Equal("/build/apps/timetable?role=port-agent", answer.Headers.Location!.OriginalString);
    }

    [Theory]
    [InlineData("https://elsewhere.example/")]
    [InlineData("//elsewhere.example/")]
    public async Task Signing_in_leads_nowhere_else(string returnUrl)
    {
        using var answer = await application
            .Anonymous()
            .PostAsync("/sign-in", "/sign-in", ("UserName", "pia"), ("Password", DemoLoader.Password), ("ReturnUrl", returnUrl));
        Assert.Equal("/", answer.Headers.Location!.OriginalString);
    }

    [Fact]
    public async Task A_part_of_a_page_asked_for_after_the_session_ended_leads_to_the_sign_in_and_a_form_stays_where_it_is()
    {
        var visitor = application.Anonymous();
        using var get = new HttpRequestMessage(HttpMethod.Get, Sailing)
        {
            Headers = { { "HX-Request", "true" }, { "HX-Current-URL", "http://localhost/apps/timetable/sailings?sailings.page=3" } },
        };
        using var read = await visitor.Client.SendAsync(get);
        Assert.Equal(
            (HttpStatusCode.Unauthorized, "/sign-in?returnUrl=%2Fapps%2Ftimetable%2Fsailings%3Fsailings.page%3D3"),
            (read.StatusCode, read.Headers.GetValues("HX-Redirect").Single())
        );
        using var written = await visitor.SendAsync(Sailing + "&handler=Save", [("v.cars", "3")], partial: true);
        Assert.Equal(HttpStatusCode.Unauthorized, written.StatusCode);
        Assert.False(written.Headers.Contains("HX-Redirect"));
    }

    [Fact]
    public async Task A_session_ends_at_once_when_what_it_was_opened_with_no_longer_holds()
    {
        var visitor = await application.AsAsync("tuva");
        Assert.Equal(HttpStatusCode.OK, await visitor.StatusAsync("/apps/maintenance/today"));
        await application.InStoreAsync(async store =>
        {
            (await store.Users.SingleAsync(person => person.UserName == "tuva")).SecurityStamp = "another";
            return await store.SaveChangesAsync();
        });
        Assert.Equal(HttpStatusCode.Redirect, await visitor.StatusAsync("/apps/maintenance/today"));
        var again = await application.AsAsync("tuva");
        Assert.Equal(HttpStatusCode.OK, await again.StatusAsync("/apps/maintenance/today"));
    }

    [Fact]
    public async Task A_port_agent_finds_only_the_app_and_the_pages_meant_for_them()
    {
        var pia = await application.AsAsync("pia");
        Assert.Equal(["Timetable"], (await pia.PageAsync("/")).QuerySelectorAll(".app-name").Select(link => link.TextContent));
        Assert.Equal(
            ["Sailings", "Changes", "Calendar", "Vessel plan", "Agreements", "My port"],
            (await pia.PageAsync("/apps/timetable/sailings")).QuerySelectorAll(".masthead-pages a").Select(link => link.TextContent.Trim())
        );
    }

    [Theory]
    [InlineData("/apps/timetable/routes", HttpStatusCode.Forbidden)]
    [InlineData("/apps/maintenance/defects", HttpStatusCode.Forbidden)]
    [InlineData("/try/timetable/sailings", HttpStatusCode.Forbidden)]
    [InlineData("/build", HttpStatusCode.Forbidden)]
    [InlineData("/build/sources/new", HttpStatusCode.Forbidden)]
    [InlineData("/build/apps/timetable", HttpStatusCode.Forbidden)]
    [InlineData("/apps/timetable/nowhere", HttpStatusCode.NotFound)]
    [InlineData("/apps/nothing/sailings", HttpStatusCode.NotFound)]
    [InlineData("/apps/timetable/routes?handler=Lookup&field=origin_port", HttpStatusCode.Forbidden)]
    [InlineData("/apps/timetable/sailings", HttpStatusCode.OK)]
    public async Task No_address_leads_a_port_agent_past_what_is_open_to_them(string address, HttpStatusCode status) =>
        Assert.Equal(status, await (await application.AsAsync("pia")).StatusAsync(address));

    [Fact]
    public async Task A_port_agent_is_offered_to_change_sailings_and_nothing_more()
    {
        await application.FleetAsync(
            "UPDATE sailings SET route_code = 'R01', departs = now() + interval '1 day', "
                + "arrives_planned = now() + interval '2 days' WHERE id = 73"
        );
        var pia = await application.AsAsync("pia");
        var page = await pia.PageAsync("/apps/timetable/sailings?sailings.selected=73");
        Assert.NotNull(page.QuerySelector(".sheet-foot .save button"));
        Assert.Null(page.QuerySelector(".confirm"));
        Assert.Null(page.QuerySelector("[data-new]"));
    }

    [Theory]
    [InlineData("Delete", "sailings.selected=2")]
    [InlineData("Save", "sailings.new=1")]
    public async Task A_hand_made_request_does_no_more_than_the_page_offers(string handler, string state)
    {
        var before = await application.FleetScalarAsync("SELECT count(*) || ':' || max(id) FROM sailings");
        var pia = await application.AsAsync("pia");
        using var answer = await pia.PostAsync(
            Sailing,
            $"/apps/timetable/sailings?{state}&handler={handler}",
            ("v.route_code", "R01"),
            ("v.vessel", "BF-101"),
            ("v.departs", "2026-03-01T10:00"),
            ("v.arrives_planned", "2026-03-01T11:00")
        );
        Assert.Contains("You may not", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(before, await application.FleetScalarAsync("SELECT count(*) || ':' || max(id) FROM sailings"));
    }

    [Theory]
    [InlineData("/apps/timetable/sailings?sailings.selected=1&handler=Save")]
    [InlineData("/apps/timetable/sailings?sailings.selected=1&handler=Delete")]
    [InlineData("/apps/timetable/sailings?handler=Undo")]
    [InlineData("/build/sources/new")]
    [InlineData("/build/apps/timetable?handler=Publish")]
    public async Task A_write_without_the_forms_token_is_refused(string address)
    {
        using var answer = await (await application.AsAsync("bea")).SendAsync(address, [("v.cars", "99")]);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
    }

    [Fact]
    public async Task A_port_agent_changes_sailings_of_the_own_port_and_these_days_only_and_knows_no_fares()
    {
        var pia = await application.AsAsync("pia");
        const string past = "71",
            coming = "72";
        await application.FleetAsync(
            "UPDATE sailings SET route_code = 'R01', cars = 4, departs = now() + (id - 71.5) * interval '9 days', "
                + "arrives_planned = now() + interval '20 days' WHERE id IN (71, 72)"
        );
        var page = await pia.PageAsync($"/apps/timetable/sailings?sailings.selected={coming}");
        Assert.DoesNotContain("Fare revenue", page.Body!.TextContent, StringComparison.Ordinal);
        using var saved = await pia.SubmitAsync(page, "Save", ("v.cars", "3"));
        Assert.Equal("3", await application.FleetScalarAsync($"SELECT cars::text FROM sailings WHERE id = {coming}"));
        using var refused = await pia.SubmitAsync(
            await pia.PageAsync($"/apps/timetable/sailings?sailings.selected={past}"),
            "Save",
            ("v.cars", "3")
        );
        Assert.Contains("not among those that you may change", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.NotEqual("3", await application.FleetScalarAsync($"SELECT cars::text FROM sailings WHERE id = {past}"));

        await application.FleetAsync("UPDATE sailings SET route_code = 'R05' WHERE id = 72");
        Assert.Contains(
            "not open to you",
            (await pia.PageAsync($"/apps/timetable/sailings?sailings.selected={coming}")).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "Lindness",
            (await (await application.AsAsync("jon")).PageAsync("/apps/timetable/sailings?sailings.q=Lindness")).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(
            "No sailings fit.",
            (await pia.PageAsync("/apps/timetable/sailings?sailings.q=Lindness")).QuerySelector(".state strong")!.TextContent
        );
    }

    [Fact]
    public async Task The_builder_reads_what_narrows_a_roles_rights()
    {
        var page = await (await application.AsAsync("bea")).PageAsync("/build/apps/timetable?role=port-agent");
        var limits = page.QuerySelectorAll(".limit").Select(limit => limit.TextContent.Trim()).ToArray();
        Assert.Equal(
            [
                "Only records where OR(route.origin_port.code = user.port, route.destination_port.code = user.port)",
                "Adds, changes and deletes only where departs >= NOW() - 2",
                "Without fare revenue.",
                "Only records where OR(asked_by = user.name, state <> \"refused\")",
            ],
            limits
        );
    }

    [Fact]
    public async Task A_withdrawn_right_is_withdrawn_at_once()
    {
        var aud = await application.AsAsync("aud");
        Assert.NotEmpty((await aud.PageAsync("/apps/maintenance/dockings")).QuerySelectorAll("tbody tr"));
        await application.InStoreAsync(async store =>
        {
            var dataset = (await store.Datasets.ToListAsync()).Single(row => row.Definition.Name.Value == "dockings");
            (await store.Policies.SingleAsync(policy => policy.Role == "auditor" && policy.DatasetId == dataset.Id)).Verbs = Verbs.None;
            return await store.SaveChangesAsync();
        });
        var page = await aud.PageAsync("/apps/maintenance/dockings");
        Assert.Empty(page.QuerySelectorAll("tbody tr"));
        Assert.Contains("You may not see dockings.", page.Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Every_answer_refuses_foreign_and_inline_scripts()
    {
        using var answer = await (await application.AsAsync("bea")).Client.GetAsync("/apps/maintenance/vessels?vessels.selected=BF-101");
        var policy = answer.Headers.GetValues("Content-Security-Policy").Single();
        Assert.DoesNotContain("unsafe", policy, StringComparison.Ordinal);
        var page = await Visitor.ParseAsync(answer);
        Assert.Empty(page.QuerySelectorAll("[style], style, script:not([src]), [onclick]"));
    }

    [Fact]
    public async Task A_sources_password_is_kept_encrypted_and_stands_on_no_page()
    {
        var password = new Npgsql.NpgsqlConnectionStringBuilder(application.FleetConnection).Password!;
        var source = await application.InStoreAsync(store => store.Sources.SingleAsync());
        Assert.DoesNotContain(password, source.ProtectedPassword, StringComparison.Ordinal);
        var bea = await application.AsAsync("bea");
        foreach (var address in new[] { "/build", $"/build/sources/{source.Id:N}", "/build/sources/new" })
        {
            Assert.DoesNotContain(password, (await bea.PageAsync(address)).DocumentElement.OuterHtml, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task A_published_version_cannot_be_changed_even_in_the_database()
    {
        var refused = await Assert.ThrowsAsync<Npgsql.PostgresException>(() =>
            application.InStoreAsync(store => store.Database.ExecuteSqlRawAsync("UPDATE app_versions SET note = 'x'"))
        );
        Assert.Contains("never changed", refused.MessageText, StringComparison.Ordinal);
    }
}
