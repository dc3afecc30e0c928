using System.Net;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Rostrum.Core.Access;
using Rostrum.Store;
using Rostrum.Web.Together;

namespace Rostrum.Web.Tests;

/// <summary>Whoever watches a record or a list is told of what others change, as far as they may see it.</summary>
public sealed class TogetherTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Defects = "/apps/maintenance/defects";

    [Fact]
    public async Task Whoever_watches_a_record_is_told_what_others_changed_and_not_what_they_changed_themselves()
    {
        var (maren, bea) = (await application.AsAsync("maren"), await application.AsAsync("bea"));
        await WatchAsync(maren, $"{Defects}?defects.selected=21", "defects", "21");
        await SaveAsync(maren, 21, ("v.title", "Watched by Maren"));
        await application.TellAsync();
        Assert.Contains("Nothing has happened", Text(await maren.PageAsync("/inbox")));

        await SaveAsync(bea, 21, ("v.title", "Changed by Bea"), ("v.severity", "serious"));
        await application.TellAsync();
        var page = await maren.PageAsync("/inbox");
        var entry = Assert.Single(page.QuerySelectorAll(".inbox li"));
        Assert.Equal("Changed by Bea", entry.QuerySelector("h2")!.TextContent);
        Assert.Contains("title: Watched by Maren → Changed by Bea", entry.TextContent);
        Assert.Contains("Bea Holm", entry.TextContent);
        Assert.Contains("1", Text(await maren.PageAsync("/inbox?handler=Count")));

        // Opened, it is read.
        using (var opened = await maren.Client.GetAsync(entry.QuerySelector("a")!.GetAttribute("href")))
        {
            Assert.Contains("defects.selected=21", opened.Headers.Location!.OriginalString);
        }

        Assert.Contains("all read", Text(await maren.PageAsync("/inbox")));

        // Watched no longer, nothing is told.
        await WatchAsync(maren, $"{Defects}?defects.selected=21", "defects", "21");
        await SaveAsync(bea, 21, ("v.title", "Nobody watches"));
        await application.TellAsync();
        Assert.DoesNotContain("Nobody watches", Text(await maren.PageAsync("/inbox")));
    }

    [Fact]
    public async Task A_list_is_watched_as_it_is_narrowed()
    {
        var (maren, bea) = (await application.AsAsync("maren"), await application.AsAsync("bea"));
        await application.FleetAsync("UPDATE defects SET severity = 'minor', state = 'open', due = NULL WHERE id IN (31, 32)");
        await WatchAsync(maren, $"{Defects}?defects.q=Kelp+in+the", "defects", "");
        await SaveAsync(bea, 31, ("v.title", "Kelp in the intake"));
        await SaveAsync(bea, 32, ("v.title", "Sand in the intake"));
        await application.TellAsync();
        var text = Text(await maren.PageAsync("/inbox"));
        Assert.Contains("Kelp in the intake", text);
        Assert.DoesNotContain("Sand in the intake", text);
    }

    [Fact]
    public async Task Nothing_is_told_of_what_one_may_not_see_when_it_is_told()
    {
        var (clem, bea) = (await application.AsAsync("clem"), await application.AsAsync("bea"));
        var fuel = await DatasetAsync("fuel_logs");
        var id = await application.FleetScalarAsync("SELECT id FROM fuel_logs ORDER BY id LIMIT 1");
        await application.InStoreAsync(async store =>
        {
            var person = await store.Users.SingleAsync(row => row.UserName == "clem");
            store.Watches.Add(
                new Watch
                {
                    Id = Guid.NewGuid(),
                    PersonId = person.Id,
                    DatasetId = fuel,
                    Key = id,
                    Label = "A log",
                    Address = "/",
                    At = DateTimeOffset.UtcNow,
                }
            );
            return await store.SaveChangesAsync();
        });

        // The cost is hidden from clerks: a change of it alone is none to them.
        await EventAsync(fuel, id, "cost\t1\t2");
        await application.TellAsync();
        Assert.Contains("Nothing has happened", Text(await clem.PageAsync("/inbox")));
        await EventAsync(fuel, id, "cost\t1\t2\nlitres\t10\t20");
        await application.TellAsync();
        var told = Text(await clem.PageAsync("/inbox"));
        Assert.Contains("litres: 10 → 20", told);
        Assert.DoesNotContain("cost", told);

        // Rights that were withdrawn meanwhile count.
        await application.InStoreAsync(async store =>
        {
            (await store.Policies.SingleAsync(policy => policy.Role == "clerk" && policy.DatasetId == fuel)).Verbs = Verbs.None;
            return await store.SaveChangesAsync();
        });
        await EventAsync(fuel, id, "litres\t20\t30");
        await application.TellAsync();
        Assert.DoesNotContain("20 → 30", Text(await clem.PageAsync("/inbox")));
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync($"{Defects}?handler=Watch&panel=defects&record=999999"));
    }

    [Fact]
    public async Task Who_wants_mail_at_once_gets_it_and_who_wants_it_daily_gets_one_of_what_is_not_read()
    {
        var (egil, tuva, bea) = (await application.AsAsync("egil"), await application.AsAsync("tuva"), await application.AsAsync("bea"));
        await application.FleetAsync("UPDATE defects SET severity = 'minor', state = 'open', due = NULL WHERE id IN (41, 42)");
        foreach (var who in new[] { egil, tuva })
        {
            await WatchAsync(who, $"{Defects}?defects.selected=41", "defects", "41");
            await WatchAsync(who, $"{Defects}?defects.selected=42", "defects", "42");
        }

        using (await egil.PostAsync("/inbox", "/inbox?handler=Mail", ("mail", "AtOnce"))) { }
        await SaveAsync(bea, 41, ("v.title", "Told by mail"));
        await SaveAsync(bea, 42, ("v.title", "Told by mail too"));
        await application.TellAsync();
        await Services.GetRequiredService<Notifier>().DigestAsync(CancellationToken.None);
        Assert.DoesNotContain(await MailsAsync(), mail => mail.Address == "tuva@brackwater.example");

        // The next morning comes.
        await application.InStoreAsync(store =>
            store.InboxItems.ExecuteUpdateAsync(row => row.SetProperty(item => item.At, item => item.At.AddDays(-1)))
        );
        await Services.GetRequiredService<Notifier>().DigestAsync(CancellationToken.None);
        await Services.GetRequiredService<Notifier>().DigestAsync(CancellationToken.None);
        var mails = await MailsAsync();
        Assert.Equal(2, mails.Count(mail => mail.Address == "egil@brackwater.example"));
        var daily = mails.Where(mail => mail.Address == "tuva@brackwater.example").ToArray();
        if (DateTime.UtcNow.Hour >= 7)
        {
            Assert.Equal("2 changes to what you watch", Assert.Single(daily).Subject);
        }
        else
        {
            Assert.Empty(daily);
        }
    }

    [Fact]
    public async Task The_mail_of_the_day_is_sent_in_the_morning_of_whoever_gets_it()
    {
        var (pia, bea) = (await application.AsAsync("pia"), await application.AsAsync("bea"));
        using (var wrong = await pia.PostAsync("/account", "/account?handler=Zone", ("zone", "Atlantis/Sunken")))
        {
            Assert.Contains("There is no time zone of that name", await wrong.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        // Somewhere it is early in the morning, and somewhere else late in it.
        string ZoneAt(int hour) =>
            People.Account.IndexModel.Zones.First(zone =>
                TimeZoneInfo.ConvertTime(DateTimeOffset.UtcNow, TimeZoneInfo.FindSystemTimeZoneById(zone)).Hour == hour
            );
        using (await pia.PostAsync("/account", "/account?handler=Zone", ("zone", ZoneAt(3)))) { }
        await application.InStoreAsync(async store =>
        {
            var person = await store.Users.SingleAsync(row => row.UserName == "pia");
            var dataset = (await store.DatasetsAsync(default)).All.First();
            (person.DigestOn, person.WatchMail) = (null, WatchMail.Daily);
            store.InboxItems.Add(
                new InboxItem
                {
                    PersonId = person.Id,
                    WatchId = Guid.NewGuid(),
                    DatasetId = dataset.Id.Value,
                    Key = "1",
                    Title = "Told by the clocks",
                    Text = "changed",
                    By = "Bea Holm",
                    Address = "/apps",
                    At = DateTimeOffset.UtcNow.AddDays(-2),
                }
            );
            return await store.SaveChangesAsync();
        });
        async Task<int> SentAsync()
        {
            await Services.GetRequiredService<Notifier>().DigestAsync(CancellationToken.None);
            return (await MailsAsync()).Count(mail => mail.Address == "pia@brackwater.example");
        }

        var before = (await MailsAsync()).Count(mail => mail.Address == "pia@brackwater.example");
        Assert.Equal(before, await SentAsync());
        using (await pia.PostAsync("/account", "/account?handler=Zone", ("zone", ZoneAt(9)))) { }
        Assert.Equal(before + 1, await SentAsync());
        Assert.Equal(before + 1, await SentAsync());
    }

    [Fact]
    public async Task A_link_in_a_mail_ends_such_mails_without_signing_in_and_looking_at_it_does_not()
    {
        var (egil, bea, program) = (await application.AsAsync("egil"), await application.AsAsync("bea"), application.Anonymous());
        await application.FleetAsync("UPDATE defects SET severity = 'minor', state = 'open', due = NULL WHERE id = 43");
        await WatchAsync(egil, $"{Defects}?defects.selected=43", "defects", "43");
        using (await egil.PostAsync("/inbox", "/inbox?handler=Mail", ("mail", "AtOnce"))) { }
        Task<WatchMail> Wanted() =>
            application.InStoreAsync(store => store.Users.Where(row => row.UserName == "egil").Select(row => row.WatchMail).SingleAsync());

        await SaveAsync(bea, 43, ("v.title", "Told with a link"));
        await application.TellAsync();
        var mail = (await MailsAsync())[^1];
        Assert.Contains(mail.Unsubscribe!, mail.Text, StringComparison.Ordinal);
        var link = new Uri(mail.Unsubscribe!).PathAndQuery;
        Assert.Contains("No more of these mails", Text(await program.PageAsync(link)), StringComparison.Ordinal);
        Assert.Equal(WatchMail.AtOnce, await Wanted());

        Assert.Equal(HttpStatusCode.NotFound, await program.StatusAsync(link[..^2] + "AA"));
        using var form = new FormUrlEncodedContent([KeyValuePair.Create("List-Unsubscribe", "One-Click")]);
        using var ended = await program.Client.PostAsync(link, form);
        Assert.Equal(HttpStatusCode.OK, ended.StatusCode);
        Assert.Equal(WatchMail.Never, await Wanted());
        var before = (await MailsAsync()).Count;
        await SaveAsync(bea, 43, ("v.title", "Told no more by mail"));
        await application.TellAsync();
        Assert.Equal(before, (await MailsAsync()).Count);
    }

    private Task<List<OutgoingMail>> MailsAsync() =>
        application.InStoreAsync(store => store.OutgoingMails.AsNoTracking().OrderBy(mail => mail.Id).ToListAsync());

    private IServiceProvider Services => application.Services;

    private static string Text(AngleSharp.Dom.IDocument page) => page.Body!.TextContent;

    private static async Task WatchAsync(Visitor visitor, string page, string panel, string record)
    {
        var address = page + (page.Contains('?', StringComparison.Ordinal) ? "&" : "?") + $"handler=Watch&panel={panel}&record={record}";
        using var answer = await visitor.PostAsync("/account", address);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
    }

    private static async Task SaveAsync(Visitor visitor, int id, params (string, string)[] typed)
    {
        using var answer = await visitor.SubmitAsync(await visitor.PageAsync($"{Defects}?defects.selected={id}"), "Save", typed);
        Assert.Contains("saved.", await answer.Content.ReadAsStringAsync());
    }

    private Task<int> EventAsync(Guid dataset, string key, string changes) =>
        application.InStoreAsync(store =>
        {
            store.RecordEvents.Add(
                new RecordEvent
                {
                    DatasetId = dataset,
                    Key = key,
                    Title = "A log",
                    Kind = "changed",
                    Changes = changes,
                    ByName = "Bea Holm",
                    At = DateTimeOffset.UtcNow,
                }
            );
            return store.SaveChangesAsync();
        });

    private Task<Guid> DatasetAsync(string name) =>
        application.InStoreAsync(async store =>
            (await store.Datasets.AsNoTracking().ToListAsync()).Single(row => row.Definition.Name.Value == name).Id
        );
}
