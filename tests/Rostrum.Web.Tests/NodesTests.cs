using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>Two nodes over one store: what one changes, the other knows.</summary>
public sealed class NodesTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task A_right_withdrawn_at_one_node_is_withdrawn_at_the_other_without_waiting_for_the_safety_net()
    {
        await using var other = application.WithWebHostBuilder(_ => { });
        var visitor = new Visitor(other.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false }));
        using var signedIn = await visitor.PostAsync("/sign-in", "/sign-in", ("UserName", "maren"), ("Password", Demo.DemoLoader.Password));
        Assert.NotEmpty((await visitor.PageAsync("/apps/timetable/ports")).QuerySelectorAll("tbody tr"));

        await application.InStoreAsync(async store =>
        {
            var dataset = (await store.Datasets.ToListAsync()).Single(row => row.Definition.Name.Value == "ports");
            (await store.Policies.SingleAsync(policy => policy.Role == "superintendent" && policy.DatasetId == dataset.Id)).Verbs =
                Verbs.None;
            return await store.SaveChangesAsync();
        });
        for (var i = 0; i < 20; i++)
        {
            if ((await visitor.PageAsync("/apps/timetable/ports")).QuerySelectorAll("tbody tr").Length == 0)
            {
                return;
            }

            await Task.Delay(50);
        }

        Assert.Fail("The other node still shows ports after a second; its safety net is ten.");
    }

    [Fact]
    public async Task Saves_of_several_datasets_at_once_and_again_are_told_of_at_both_nodes()
    {
        await using var other = application.WithWebHostBuilder(_ => { });
        using var client = other.CreateClient();
        var (one, two) = (Guid.NewGuid(), Guid.NewGuid());
        var changes = application.Services.GetRequiredService<RecordChanges>();
        using var here = changes.Listen();
        using var there = other.Services.GetRequiredService<RecordChanges>().Listen();
        using var ends = new CancellationTokenSource(TimeSpan.FromSeconds(20));

        // The other node may not listen yet.
        do
        {
            changes.Saved(Guid.NewGuid());
            await Task.Delay(100, ends.Token);
        } while (!there.Saved.TryRead(out Guid _));
        for (var round = 0; round < 10; round++)
        {
            await Task.WhenAll(Task.Run(() => changes.Saved(one)), Task.Run(() => changes.Saved(two)));
            foreach (var listener in new[] { here, there })
            {
                var missing = new HashSet<Guid> { one, two };
                while (missing.Count > 0)
                {
                    missing.Remove(await listener.Saved.ReadAsync(ends.Token));
                }
            }
        }
    }

    [Fact]
    public async Task A_session_and_a_form_from_one_node_serve_at_the_other()
    {
        await using var other = application.WithWebHostBuilder(_ => { });
        var plain = new WebApplicationFactoryClientOptions { AllowAutoRedirect = false, HandleCookies = false };
        using var here = application.CreateClient(plain);
        using var there = other.CreateClient(plain);

        // Cookies are carried by hand, as a browser would to whichever node answers.
        using var form = await here.GetAsync("/sign-in");
        var token = (await Visitor.ParseAsync(form)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        here.DefaultRequestHeaders.Add("Cookie", Cookie(form, "rostrum-form="));
        using var signedIn = await new Visitor(here).SendAsync(
            "/sign-in",
            [("UserName", "maren"), ("Password", Demo.DemoLoader.Password), ("__RequestVerificationToken", token)]
        );
        here.DefaultRequestHeaders.Add("Cookie", Cookie(signedIn, "rostrum="));
        there.DefaultRequestHeaders.Add("Cookie", here.DefaultRequestHeaders.GetValues("Cookie"));

        var opened = await new Visitor(here).PageAsync("/apps/maintenance/defects?defects.selected=51");
        var saved = await Visitor.ParseAsync(await new Visitor(there).SubmitAsync(opened, "Save", ("v.title", "from node to node")));
        Assert.Contains("saved.", saved.QuerySelector("[data-message]")!.TextContent, StringComparison.Ordinal);

        static string Cookie(HttpResponseMessage answer, string name) =>
            answer.Headers.GetValues("Set-Cookie").Single(cookie => cookie.StartsWith(name, StringComparison.Ordinal)).Split(';')[0];
    }

    [Fact]
    public async Task An_undo_is_kept_for_a_day_and_no_longer()
    {
        var maren = await application.AsAsync("maren");
        using var first = await maren.SubmitAsync(
            await maren.PageAsync("/apps/maintenance/defects?defects.selected=61"),
            "Save",
            ("v.title", "first")
        );
        await application.InStoreAsync(store =>
            store.Undos.ExecuteUpdateAsync(rows => rows.SetProperty(row => row.At, row => row.At.AddDays(-2)))
        );
        using var second = await maren.SubmitAsync(
            await maren.PageAsync("/apps/maintenance/defects?defects.selected=61"),
            "Save",
            ("v.title", "second")
        );
        Assert.Equal(1, await application.InStoreAsync(store => store.Undos.CountAsync()));
    }
}
