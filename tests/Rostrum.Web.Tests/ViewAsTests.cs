using System.Net;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>Builders and owners look at live apps through somebody else's eyes: read-only, marked, written down.</summary>
public sealed class ViewAsTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Sailings = "/apps/timetable/sailings";

    [Fact]
    public async Task A_live_app_is_seen_as_a_person_sees_it_and_it_is_marked_and_in_the_audit()
    {
        var (oskar, pia) = (await application.AsAsync("oskar"), await application.AsAsync("pia"));
        var hers = (await pia.PageAsync(Sailings)).QuerySelector(".count")!.TextContent;
        Assert.NotEqual(hers, (await oskar.PageAsync(Sailings)).QuerySelector(".count")!.TextContent);
        await oskar.ViewAsAsync(await IdAsync("pia"));
        var page = await oskar.PageAsync(Sailings);
        Assert.Equal(hers, page.QuerySelector(".count")!.TextContent);
        Assert.Contains("Viewing as Pia Sund. Read-only.", page.QuerySelector(".preview")!.TextContent);
        Assert.DoesNotContain("Fare revenue", page.QuerySelector("main")!.TextContent);
        Assert.Equal(
            (await pia.PageAsync("/")).QuerySelectorAll("main h2").Select(head => head.TextContent),
            (await oskar.PageAsync("/")).QuerySelectorAll("main h2").Select(head => head.TextContent)
        );
        var audit = await oskar.PageAsync("/people/audit?kind=Viewing");
        Assert.Contains("Viewed apps as Pia Sund.", audit.QuerySelector(".audit")!.TextContent);
        await oskar.ViewAsAsync("");
        Assert.Null((await oskar.PageAsync(Sailings)).QuerySelector(".preview"));
    }

    [Fact]
    public async Task Nothing_is_saved_while_viewing_before_it_is_allowed_and_then_in_ones_own_name_within_the_rights_of_both()
    {
        var bea = await application.AsAsync("bea");
        await bea.ViewAsAsync("superintendent");
        var page = await bea.PageAsync("/apps/maintenance/defects?defects.selected=7");
        using (var refused = await bea.SubmitAsync(page, "Save", ("v.title", "Seen while viewing as")))
        {
            Assert.Contains("you are viewing as somebody else", await refused.Content.ReadAsStringAsync());
        }

        using (await bea.PostAsync("/view-as", "/view-as?handler=Changes", ("allow", "yes"))) { }
        using (await bea.SubmitAsync(page, "Save", ("v.title", "Seen while viewing as"))) { }
        Assert.Equal("Seen while viewing as", await application.FleetScalarAsync("SELECT title FROM defects WHERE id = 7"));
        await bea.ViewAsAsync("auditor");
        using (await bea.PostAsync("/view-as", "/view-as?handler=Changes", ("allow", "yes"))) { }
        using (await bea.SubmitAsync(page, "Save", ("v.title", "The auditor may not"))) { }
        Assert.Equal("Seen while viewing as", await application.FleetScalarAsync("SELECT title FROM defects WHERE id = 7"));
    }

    [Fact]
    public async Task Who_may_neither_build_nor_set_rights_views_as_nobody_and_a_cookie_of_another_counts_for_nothing()
    {
        var pia = await application.AsAsync("pia");
        Assert.Equal(HttpStatusCode.Forbidden, await pia.StatusAsync("/view-as"));
        using var tried = await pia.PostAsync("/account", "/view-as", ("who", "owner"));
        Assert.Equal(HttpStatusCode.Forbidden, tried.StatusCode);
        var oskar = await application.AsAsync("oskar");
        using var begun = await oskar.PostAsync("/view-as", "/view-as", ("who", "superintendent"));
        var cookie = begun
            .Headers.GetValues("Set-Cookie")
            .Single(cookie => cookie.StartsWith("view-as=", StringComparison.Ordinal))
            .Split(';')[0];
        using var request = new HttpRequestMessage(HttpMethod.Get, Sailings);
        request.Headers.Add("Cookie", cookie);
        using var answer = await pia.Client.SendAsync(request);
        Assert.DoesNotContain("Viewing as", await answer.Content.ReadAsStringAsync());
    }

    private Task<string> IdAsync(string userName) =>
        application.InStoreAsync(async store => (await store.Users.SingleAsync(person => person.UserName == userName)).Id.ToString("N"));
}

/// <summary>The same for a builder from whom an owner has taken the setting of rights.</summary>
public sealed class ViewAsLimitsTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task A_builder_who_may_not_set_rights_sees_no_more_through_others_than_they_may()
    {
        await application.InStoreAsync(async store =>
        {
            var builder = await store.Roles.SingleAsync(role => role.Name == Role.Builder);
            builder.Permissions &= ~WorkspacePermissions.ManageRights;
            store.Policies.RemoveRange(await store.Policies.Where(policy => policy.Role == Role.Builder).ToListAsync());
            return await store.SaveChangesAsync();
        });
        var bea = await application.AsAsync("bea");
        await bea.ViewAsAsync("superintendent");
        var page = await bea.PageAsync("/apps/timetable/sailings");
        Assert.Contains("You may not see", page.QuerySelector("main")!.TextContent);
    }
}
