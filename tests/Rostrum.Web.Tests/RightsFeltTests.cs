using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>What a person may not do is not offered, with the reason; and who has several roles may work in one.</summary>
public sealed class RightsFeltTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task A_record_that_may_not_be_changed_opens_to_be_read_with_the_reason()
    {
        await application.FleetAsync("UPDATE defects SET state = 'closed', reported_by = 'Pia Sund' WHERE id = 51");
        await application.FleetAsync(
            "UPDATE defects SET state = 'open', reported_by = 'Pia Sund', due = NULL, severity = 'minor' WHERE id = 52"
        );
        var egil = await application.AsAsync("egil");
        var closed = await egil.PageAsync("/apps/maintenance/defects?defects.selected=51");
        Assert.Empty(closed.QuerySelectorAll("#sheet [name^='v.']"));
        var foot = closed.QuerySelector("#sheet .sheet-foot")!.TextContent;
        Assert.Contains("You may not change this defect.", foot);
        await application.InStoreAsync(async store =>
        {
            var policy = await store.Policies.SingleAsync(row => row.Role == "engineer" && row.UpdateCondition != null);
            policy.UpdateCondition = "state <> \"closed\"";
            return await store.SaveChangesAsync();
        });
        closed = await egil.PageAsync("/apps/maintenance/defects?defects.selected=51");
        Assert.Equal(
            "You may not change this defect. You may change those of which state is not “closed”.",
            closed.QuerySelector("#sheet .sheet-foot")!.TextContent.Trim()
        );
        var open = await egil.PageAsync("/apps/maintenance/defects?defects.selected=52");
        Assert.NotEmpty(open.QuerySelectorAll("#sheet [name^='v.']"));

        // Closed while it was being edited, the save says no and keeps what was typed.
        await application.FleetAsync("UPDATE defects SET state = 'closed' WHERE id = 52");
        using var late = await egil.SubmitAsync(open, "Save", ("v.title", "Typed before it was closed"));
        var answer = await late.Content.ReadAsStringAsync();
        Assert.Contains("Typed before it was closed", answer);
        Assert.DoesNotContain("Nothing was changed", answer);
    }

    [Fact]
    public async Task Fields_that_one_of_several_roles_shows_are_there_for_the_records_of_that_role()
    {
        await application.FleetAsync(
            "UPDATE defects SET severity = (CASE id WHEN 53 THEN 'critical' ELSE 'minor' END)::severity, state = 'open', "
                + "due = DATE '2031-03-01', estimated_cost = 4321 WHERE id IN (53, 54)"
        );
        async Task RolesAsync(bool both) =>
            await application.InStoreAsync(async store =>
            {
                var defects = (await store.DatasetsAsync(default)).All.Single(known => known.Name.Value == "defects").Id.Value;
                var person = await store.Users.SingleAsync(known => known.UserName == "egil");
                var audit = await store.Roles.SingleAsync(role => role.Name == "auditor");
                audit.NeedsSecondFactor = false;
                var second = new Microsoft.AspNetCore.Identity.IdentityUserRole<Guid> { UserId = person.Id, RoleId = audit.Id };
                _ = both ? store.UserRoles.Add(second) : store.UserRoles.Remove(second);
                var auditor = await store.Policies.SingleAsync(row => row.Role == "auditor" && row.DatasetId == defects);
                auditor.Condition = both ? "severity = \"critical\"" : null;
                var engineer = await store.Policies.SingleAsync(row => row.Role == "engineer" && row.DatasetId == defects);
                engineer.Condition = both ? "id > 0" : null;
                engineer.HiddenFields = both ? ["estimated_cost"] : [];
                return await store.SaveChangesAsync();
            });
        await RolesAsync(both: true);
        var egil = await application.AsAsync("egil");
        async Task<bool> ShowsAsync(int id) =>
            (await egil.PageAsync($"/apps/maintenance/defects?defects.selected={id}"))
                .QuerySelector("#sheet")!
                .TextContent.Contains("4,321", StringComparison.Ordinal);
        Assert.True(await ShowsAsync(53));
        Assert.False(await ShowsAsync(54));

        // What the logbook says of the record is decided for that record as well.
        await application.FleetAsync("UPDATE defects SET estimated_cost = 1 WHERE id IN (53, 54)");
        var dataset = (await application.Services.GetWorkspaceAsync()).Datasets.All.Single(known => known.Name.Value == "defects").Id;
        var maren = await application.AsAsync("maren");
        async Task<string> LogbookAsync(int id)
        {
            var page = await maren.PageAsync($"/apps/maintenance/defects?defects.selected={id}");
            using (var saved = await maren.SubmitAsync(page, "Save", ("v.estimated_cost", "9876")))
            {
                Assert.Contains("saved", (await Visitor.ParseAsync(saved)).QuerySelector(".toast-body")!.TextContent);
            }

            return await egil.Client.GetStringAsync($"/logbook?dataset={dataset}&record={id}");
        }

        Assert.Contains("9,876", await LogbookAsync(53), StringComparison.Ordinal);
        Assert.DoesNotContain("9,876", await LogbookAsync(54), StringComparison.Ordinal);
        await RolesAsync(both: false);
    }

    [Fact]
    public async Task Actions_are_run_by_whoever_has_the_right_on_the_records_that_it_names()
    {
        await application.FleetAsync("UPDATE defects SET state = 'open', actual_cost = 10, due = DATE '2031-03-01' WHERE id IN (55, 56)");
        async Task PolicyAsync(Action<StoredPolicy> change) =>
            await application.InStoreAsync(async store =>
            {
                var defects = (await store.DatasetsAsync(default)).All.Single(known => known.Name.Value == "defects").Id.Value;
                change(await store.Policies.SingleAsync(row => row.Role == "superintendent" && row.DatasetId == defects));
                return await store.SaveChangesAsync();
            });
        var maren = await application.AsAsync("maren");
        async Task<AngleSharp.Dom.IElement> CloseAsync(int id) =>
            (await maren.PageAsync($"/apps/maintenance/defect?defect={id}"))
                .QuerySelectorAll("button[formaction]")
                .Single(button => button.TextContent.Contains("Close it", StringComparison.Ordinal));
        await PolicyAsync(policy => policy.RunCondition = "id = 55");
        Assert.False((await CloseAsync(55)).HasAttribute("disabled"));
        var other = await CloseAsync(56);
        Assert.Equal("You may not run actions on this defect.", other.GetAttribute("title"));
        using (await maren.PostAsync("/apps/maintenance/defect?defect=56", other.GetAttribute("formaction")!, ("sure", "yes"))) { }
        Assert.Equal("open", await application.FleetScalarAsync("SELECT state::text FROM defects WHERE id = 56"));

        // What leads elsewhere and changes nothing takes no right.
        await PolicyAsync(policy => (policy.RunCondition, policy.Verbs) = (null, policy.Verbs & ~Core.Access.Verbs.RunActions));
        var none = await CloseAsync(55);
        Assert.Equal("You may not run actions on defects.", none.GetAttribute("title"));
        using var refused = await maren.PostAsync("/apps/maintenance/defect?defect=55", none.GetAttribute("formaction")!, ("sure", "yes"));
        Assert.Equal(System.Net.HttpStatusCode.Forbidden, refused.StatusCode);
        Assert.DoesNotContain(
            (await maren.PageAsync("/apps/maintenance/defect?defect=55")).QuerySelectorAll("button[formaction]"),
            button => button.TextContent.Contains("Write to the yard", StringComparison.Ordinal) && button.HasAttribute("disabled")
        );
        await PolicyAsync(policy => policy.Verbs |= Core.Access.Verbs.RunActions);
        using (
            await maren.PostAsync("/apps/maintenance/defect?defect=55", (await CloseAsync(55)).GetAttribute("formaction")!, ("sure", "yes"))
        ) { }
        Assert.Equal("closed", await application.FleetScalarAsync("SELECT state::text FROM defects WHERE id = 55"));
    }

    [Fact]
    public async Task Who_has_several_roles_works_in_one_where_an_owner_allows_it()
    {
        var id = await application.InStoreAsync(async store =>
        {
            var jon = await store.Users.SingleAsync(person => person.UserName == "jon");
            var roles = await store.Roles.ToDictionaryAsync(role => role.Name!);
            store.UserRoles.Add(new() { UserId = jon.Id, RoleId = roles["auditor"].Id });
            (roles["port-agent"].CanBeChosen, roles["auditor"].NeedsSecondFactor) = (true, false);
            await store.SaveChangesAsync();
            return jon.Id;
        });
        var jon = await application.AsAsync("jon");
        async Task<string> CountAsync() => (await jon.PageAsync("/apps/timetable/sailings")).QuerySelector(".count")!.TextContent;
        var all = await CountAsync();
        using (await jon.PostAsync("/account", "/account?handler=Role", ("role", "port-agent"))) { }
        Assert.NotEqual(all, await CountAsync());
        Assert.Equal("port-agent", (await application.Services.GetWorkspaceAsync()).People[id].WorksAs);

        // A role that cannot be chosen is not.
        using (await jon.PostAsync("/account", "/account?handler=Role", ("role", "auditor"))) { }
        Assert.Equal(all, await CountAsync());
    }
}
