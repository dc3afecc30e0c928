using System.Net;
using Microsoft.EntityFrameworkCore;

namespace Rostrum.Web.Tests;

public sealed class RolesTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Roles = "/people/roles";

    [Fact]
    public async Task An_owner_adds_renames_and_removes_a_role_and_others_see_nothing_of_it()
    {
        var oskar = await application.AsAsync("oskar");
        using var added = await oskar.PostAsync(Roles, Roles, ("label", "Dock master"));
        Assert.Equal(Roles + "/dock_master", added.Headers.Location!.ToString());
        using var again = await oskar.PostAsync(Roles, Roles, ("label", "dock MASTER"));
        var refused = await Visitor.ParseAsync(again);
        Assert.Contains("There is a role", refused.QuerySelector("#label-problem")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("dock MASTER", refused.QuerySelector("#label")!.GetAttribute("value"));

        using var renamed = await oskar.PostAsync(Roles + "/dock_master", Roles + "/dock_master", ("label", "Yard master"));
        var list = await oskar.PageAsync(Roles);
        Assert.Contains("Yard master", list.QuerySelectorAll("tbody th").Select(cell => cell.TextContent.Trim()));
        using var removed = await oskar.PostAsync(Roles + "/dock_master", Roles + "/dock_master?handler=Remove");
        Assert.DoesNotContain("Yard master", (await oskar.PageAsync(Roles)).Body!.TextContent, StringComparison.Ordinal);

        Assert.Equal(HttpStatusCode.Forbidden, await (await application.AsAsync("bea")).StatusAsync(Roles));
        Assert.Equal(HttpStatusCode.Forbidden, await (await application.AsAsync("pia")).StatusAsync(Roles));
    }

    [Fact]
    public async Task What_depends_on_a_role_is_said_before_it_goes_and_those_of_Rostrum_stay()
    {
        var oskar = await application.AsAsync("oskar");
        var keys = (await oskar.PageAsync(Roles)).QuerySelectorAll("tbody td code").Select(code => code.TextContent).ToArray();
        var agent = Assert.Single(keys, key => key.Contains("agent", StringComparison.Ordinal));
        var page = await oskar.PageAsync($"{Roles}/{agent}");
        var said = page.QuerySelector("section ul")!.TextContent;
        Assert.Contains("Pia", said, StringComparison.Ordinal);
        Assert.Contains("rights to", said, StringComparison.Ordinal);
        Assert.Contains("Timetable shows it", said, StringComparison.Ordinal);
        Assert.Null((await oskar.PageAsync(Roles + "/owner")).QuerySelector("#remove"));
        using var refused = await oskar.PostAsync($"{Roles}/{agent}", Roles + "/builder?handler=Remove");
        Assert.Equal(HttpStatusCode.NotFound, refused.StatusCode);
    }

    [Fact]
    public async Task Whose_role_names_the_apps_that_it_builds_finds_these_in_Build_and_nothing_else()
    {
        var crew = await application.InStoreAsync(store =>
            store.Apps.Where(app => app.Address == "timetable").Select(app => app.Id).SingleAsync()
        );
        var oskar = await application.AsAsync("oskar");
        using (await oskar.GrantAsync(Roles + "/clerk", ("label", "Clerk"), ("may", "BuildApps"), ("builds", $"{crew}"))) { }
        var asked = await Visitor.ParseAsync(await oskar.PostAsync(Roles + "/clerk", Roles + "/clerk", ("label", "Clerk")));
        Assert.Equal(["Clem Moe may no longer build apps."], asked.QuerySelectorAll(".consequences li").Select(line => line.TextContent));
        var clem = await application.AsAsync("clem");
        var build = await clem.PageAsync("/build");
        Assert.Equal(["Timetable"], build.QuerySelectorAll("tbody th").Select(cell => cell.TextContent.Trim()));
        Assert.Equal(HttpStatusCode.OK, await clem.StatusAsync("/build/apps/timetable"));
        Assert.Equal(HttpStatusCode.OK, await clem.StatusAsync("/build/apps/timetable/versions"));
        foreach (
            var closed in (string[])
                ["/build/apps/maintenance", "/build/apps/maintenance/versions", "/build/apps/new", "/build/apps/import", "/build/workflows"]
        )
        {
            Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync(closed));
        }

        Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync("/try/maintenance"));
        Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync("/look/maintenance/draft.css"));
        Assert.DoesNotContain("/build/apps/maintenance", await clem.Client.GetStringAsync("/commands"), StringComparison.Ordinal);

        // Without a name it is all of Build again, and without the permission none of it.
        using (await oskar.GrantAsync(Roles + "/clerk", ("label", "Clerk"), ("may", "BuildApps"))) { }
        Assert.Equal(HttpStatusCode.OK, await clem.StatusAsync("/build/apps/maintenance"));
        using (await oskar.GrantAsync(Roles + "/clerk", ("label", "Clerk"))) { }
        Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync("/build/apps/timetable"));
    }

    [Fact]
    public async Task The_list_of_apps_says_when_one_was_opened()
    {
        var clem = await application.AsAsync("clem");
        Assert.Empty((await clem.PageAsync("/")).QuerySelectorAll(".opened"));
        var address = (await clem.PageAsync("/")).QuerySelector(".app-name")!.GetAttribute("href")!;
        using var opened = await clem.Client.GetAsync(new Uri(address, UriKind.Relative));
        using var shown = opened.Headers.Location is { } page ? await clem.Client.GetAsync(page) : null;
        Assert.Equal("opened just now", (await clem.PageAsync("/")).QuerySelector(".opened")!.TextContent);
    }

    [Fact]
    public async Task A_builder_who_may_not_set_rights_gives_none_and_what_a_role_may_in_the_workspace_holds_at_once()
    {
        var oskar = await application.AsAsync("oskar");
        var bea = await application.AsAsync("bea");
        var source = (await bea.PageAsync("/build")).QuerySelector("[aria-labelledby=sources] tbody th a")!.GetAttribute("href")!;
        var table = (await bea.PageAsync(source)).QuerySelectorAll("form.tables a").First(link => link.TextContent == "ports");
        var access = table.GetAttribute("href") + "/access";
        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync("/build/secrets"));
        string[] usual = ["BuildApps", "ManageSources", "ManageSecrets", "ManageRights"];
        (string, string)[] before = [.. usual.Select(may => ("may", may))];
        using var less = await oskar.GrantAsync(Roles + "/builder", ("may", "BuildApps"));
        try
        {
            Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync("/build"));
            Assert.Equal(HttpStatusCode.Forbidden, await bea.StatusAsync("/build/secrets"));
            Assert.Equal(HttpStatusCode.Forbidden, await bea.StatusAsync("/build/sources/new"));
            Assert.Equal(HttpStatusCode.Forbidden, await bea.StatusAsync("/people"));
            var page = await bea.PageAsync(access + "?role=builder");
            Assert.Null(page.QuerySelector("#policy"));
            using var refused = await bea.PostAsync(access, access + "?role=builder", ("verb.Delete", "on"));
            Assert.Equal(HttpStatusCode.Forbidden, refused.StatusCode);
            var policies = await application.InStoreAsync(store => store.Policies.CountAsync());
            using var drafted = await bea.PostAsync($"{source}/draft", $"{source}/draft", ("AppName", "Mine"));
            using var rights = await bea.PostAsync("/build/apps/timetable", "/build/apps/timetable?handler=Access&role=clerk");
            Assert.Equal(policies, await application.InStoreAsync(store => store.Policies.CountAsync()));
        }
        finally
        {
            using var again = await oskar.GrantAsync(Roles + "/builder", before);
        }

        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync("/build/secrets"));
    }
}
