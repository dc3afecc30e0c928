using System.Net;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access;
using Rostrum.Store;
using Rostrum.Web.Live.Public;
using Rostrum.Web.Security;

namespace Rostrum.Web.Tests;

/// <summary>A page that whoever has its link may open: with the rights of one role, and never more.</summary>
public sealed class PublicLinkTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task A_page_is_public_with_the_chosen_fields_read_only_until_its_link_is_withdrawn()
    {
        await GuestsAsync();
        var (link, oskar) = await MakeAsync("routes", "", forms: false);
        var visitor = application.Anonymous();
        var page = await visitor.PageAsync(link);
        Assert.NotEmpty(page.QuerySelectorAll("tbody tr"));
        Assert.DoesNotContain("Minutes", page.QuerySelector("main")!.TextContent);
        Assert.Null(page.QuerySelector(".masthead-person"));
        Assert.Single(page.QuerySelectorAll(".masthead-pages a"));

        // Nothing else opens by it, and nobody is signed in by it.
        Assert.Equal(HttpStatusCode.Redirect, await visitor.StatusAsync("/apps/timetable/routes"));
        Assert.Equal(HttpStatusCode.Redirect, await visitor.StatusAsync("/build"));
        Assert.Equal(HttpStatusCode.Forbidden, await visitor.StatusAsync($"{link}?handler=Download&panel=routes"));
        Assert.Equal(HttpStatusCode.Gone, await visitor.StatusAsync(link[..^1] + (link[^1] == 'x' ? 'y' : 'x')));

        // Who is signed in sees no more by it.
        Assert.DoesNotContain("Minutes", (await oskar.PageAsync(link)).QuerySelector("main")!.TextContent);

        var withdraw = (await oskar.PageAsync("/build/apps/timetable/public")).QuerySelector("td form")!.GetAttribute("action")!;
        using (await oskar.PostAsync("/build/apps/timetable/public", withdraw)) { }
        Assert.Equal(HttpStatusCode.Gone, await visitor.StatusAsync(link));
        var audit = (await oskar.PageAsync("/people/audit?kind=PublicLinks")).QuerySelector(".audit")!.TextContent;
        Assert.Contains("Added the public link.", audit);
        Assert.Contains("Removed the public link.", audit);
    }

    [Fact]
    public async Task A_link_ends_on_its_day()
    {
        await GuestsAsync();
        var (link, _) = await MakeAsync("routes", "tomorrow", forms: false);
        Assert.Equal(HttpStatusCode.OK, await application.Anonymous().StatusAsync(link));
        await application.InStoreAsync(async store =>
        {
            var kept = await store.PublicLinks.OrderByDescending(row => row.MadeAt).FirstAsync();
            store.Entry(kept).Property(row => row.Ends).CurrentValue = DateTimeOffset.UtcNow.AddMinutes(-1);
            return await store.SaveChangesAsync();
        });
        Assert.Equal(HttpStatusCode.Gone, await application.Anonymous().StatusAsync(link));
    }

    /// <summary>Runs ahead, or behind: how quickly a form is sent does not depend on the machine.</summary>
    private sealed class Clock(int seconds) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => DateTimeOffset.UtcNow.AddSeconds(seconds);
    }

    [Fact]
    public async Task A_public_form_adds_a_record_for_people_and_not_for_robots_and_changes_none()
    {
        await GuestsAsync();
        var (link, _) = await MakeAsync("defects", "", forms: true, "maintenance");
        var visitor = application.Anonymous();
        var page = await visitor.PageAsync($"{link}?defects.new=1");
        var bait = page.QuerySelector("input[name=website]");
        Assert.NotNull(bait);
        async Task<int> CountAsync() => int.Parse(await application.FleetScalarAsync("SELECT count(*) FROM defects"), null);
        var before = await CountAsync();
        (string, string)[] typed = [("v.title", "A seat is torn"), ("v.vessel", "BF-103"), ("v.reported_by", "A passenger")];
        (string, string) Opened(int seconds) =>
            (RobotTrap.Opened, ActivatorUtilities.CreateInstance<RobotTrap>(application.Services, new Clock(seconds)).Now());
        using (var quick = await visitor.SubmitAsync(page, "Save", [.. typed, Opened(60)]))
        {
            Assert.Contains("That was very quick", await quick.Content.ReadAsStringAsync());
        }

        using (var robot = await visitor.SubmitAsync(page, "Save", [.. typed, ("website", "http://spam.example")]))
        {
            Assert.Contains("looks like a robot", await robot.Content.ReadAsStringAsync());
        }

        Assert.Equal(before, await CountAsync());
        using (var sent = await visitor.SubmitAsync(page, "Save", [.. typed, Opened(-60)]))
        {
            Assert.True(before + 1 == await CountAsync(), (await Visitor.ParseAsync(sent)).Body!.TextContent);
        }

        Assert.Equal(HttpStatusCode.Forbidden, (await visitor.SubmitAsync(page, "Delete", typed)).StatusCode);
    }

    [Fact]
    public async Task Only_roles_that_may_do_nothing_in_the_workspace_are_offered_and_only_by_whoever_sets_rights()
    {
        var oskar = await application.AsAsync("oskar");
        var roles = (await oskar.PageAsync("/build/apps/timetable/public"))
            .QuerySelectorAll("#role option")
            .Select(one => one.GetAttribute("value"));
        Assert.DoesNotContain("owner", roles);
        Assert.DoesNotContain("builder", roles);
        using var refused = await oskar.PostAsync(
            "/build/apps/timetable/public",
            "/build/apps/timetable/public",
            ("page", "routes"),
            ("role", "owner")
        );
        Assert.Contains("Choose a role.", await refused.Content.ReadAsStringAsync());
    }

    private async Task<(string Link, Visitor Oskar)> MakeAsync(string page, string ends, bool forms, string app = "timetable")
    {
        var oskar = await application.AsAsync("oskar");
        (string, string)[] form = [("page", page), ("role", "guests"), ("ends", ends)];
        using var made = await oskar.PostAsync(
            $"/build/apps/{app}/public",
            $"/build/apps/{app}/public",
            forms ? [.. form, ("forms", "true")] : form
        );
        var link = (await Visitor.ParseAsync(made)).QuerySelector("#made")!.GetAttribute("value")!;
        return (new Uri(link).AbsolutePath, oskar);
    }

    private Task<int> GuestsAsync() =>
        application.InStoreAsync(async store =>
        {
            if (await store.Roles.AnyAsync(role => role.Name == "guests"))
            {
                return 0;
            }

            store.Roles.Add(
                new Role
                {
                    Name = "guests",
                    NormalizedName = "GUESTS",
                    Label = "Guests",
                }
            );
            var datasets = (await store.Datasets.AsNoTracking().ToListAsync()).ToDictionary(
                row => row.Definition.Name.Value,
                row => row.Id
            );
            store.Policies.AddRange(
                new StoredPolicy
                {
                    Role = "guests",
                    DatasetId = datasets["routes"],
                    Verbs = Verbs.View,
                    HiddenFields = ["minutes"],
                },
                new StoredPolicy
                {
                    Role = "guests",
                    DatasetId = datasets["ports"],
                    Verbs = Verbs.View,
                },
                new StoredPolicy
                {
                    Role = "guests",
                    DatasetId = datasets["vessels"],
                    Verbs = Verbs.View,
                },
                new StoredPolicy
                {
                    Role = "guests",
                    DatasetId = datasets["defects"],
                    Verbs = Verbs.All,
                }
            );
            return await store.SaveChangesAsync();
        });
}

/// <summary>A public form under load.</summary>
public sealed class PublicLimitTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task Who_sends_too_many_forms_is_asked_to_wait_and_the_rest_of_the_application_goes_on()
    {
        var (token, digest) = LinkToken.Make();
        await application.InStoreAsync(store =>
        {
            store.PublicLinks.Add(
                new PublicLink
                {
                    Id = Guid.NewGuid(),
                    App = "maintenance",
                    Page = "defects",
                    Role = "clerk",
                    AllowsForms = true,
                    Digest = digest,
                    MadeAt = DateTimeOffset.UtcNow,
                    MadeBy = Guid.NewGuid(),
                }
            );
            return store.SaveChangesAsync();
        });
        var visitor = application.Anonymous();
        var codes = new List<HttpStatusCode>();
        for (var at = 0; at < 14; at++)
        {
            using var answer = await visitor.SendAsync($"/public/{token}?handler=Save&panel=defects", [("v.title", "Spam")]);
            codes.Add(answer.StatusCode);
        }

        Assert.DoesNotContain(HttpStatusCode.TooManyRequests, codes.Take(12));
        Assert.Equal(HttpStatusCode.TooManyRequests, codes[^1]);
        Assert.Equal(HttpStatusCode.OK, await visitor.StatusAsync($"/public/{token}"));
        Assert.Equal(HttpStatusCode.OK, await visitor.StatusAsync("/sign-in"));
    }
}
