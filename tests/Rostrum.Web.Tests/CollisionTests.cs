using System.Net;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;

namespace Rostrum.Web.Tests;

/// <summary>What two people, two tabs or one impatient finger do at the same moment loses nothing and doubles nothing.</summary>
public sealed class CollisionTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string NewDefect = "/apps/maintenance/defects?defects.new=1";

    private static (string Name, string Value)[] Filled(IDocument page, string title)
    {
        var form = page.QuerySelector("[data-form]")!;
        string Of(IElement input) =>
            input is AngleSharp.Html.Dom.IHtmlSelectElement select ? select.Value ?? "" : input.GetAttribute("value") ?? "";
        var fields = form.QuerySelectorAll("input[name], select[name], textarea[name]")
            .DistinctBy(input => input.GetAttribute("name"))
            .ToDictionary(input => input.GetAttribute("name")!, Of);
        (fields["v.title"], fields["v.vessel"], fields["v.severity"], fields["v.state"]) = (title, "BF-101", "minor", "open");
        fields["v.reported_at"] = "2026-03-01T10:00";
        return [.. fields.Select(field => (field.Key, field.Value))];
    }

    private Task<string> CountAsync(string title) =>
        application.FleetScalarAsync($"SELECT count(*)::text FROM defects WHERE title = '{title}'");

    [Fact]
    public async Task A_form_for_a_new_record_that_is_sent_often_adds_one_and_another_form_another()
    {
        var maren = await application.AsAsync("maren");
        var page = await maren.PageAsync(NewDefect);
        var address = page.QuerySelector("[data-form]")!.GetAttribute("action")!;
        var typed = Filled(page, "Sent by an impatient finger");
        var answers = await Task.WhenAll(Enumerable.Range(0, 6).Select(_ => maren.SendAsync(address, typed)));
        Assert.All(answers, answer => Assert.Equal(HttpStatusCode.OK, answer.StatusCode));
        Assert.Equal("1", await CountAsync("Sent by an impatient finger"));

        var again = await Visitor.ParseAsync(await maren.SendAsync(address, typed));
        Assert.Contains(
            "“Sent by an impatient finger” added.",
            again.QuerySelector("[data-message]")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal("1", await CountAsync("Sent by an impatient finger"));
        await maren.SendAsync(address, Filled(await maren.PageAsync(NewDefect), "Sent by another finger"));
        Assert.Equal("1", await CountAsync("Sent by another finger"));
    }

    [Fact]
    public async Task A_form_whose_first_sending_was_lost_before_its_end_is_saved_when_it_is_sent_again()
    {
        var maren = await application.AsAsync("maren");
        var page = await maren.PageAsync(NewDefect);
        var typed = Filled(page, "Lost on the way");
        // As a node leaves it that was lost between writing the form down and ending the source's transaction.
        await application.InStoreAsync(async store =>
        {
            store.SentForms.Add(
                new Store.SentForm
                {
                    Key = Guid.Parse(typed.Single(field => field.Name == "key").Value),
                    PersonId = (await store.Users.FirstAsync(person => person.UserName == "maren")).Id,
                    Transaction = await AbortedAsync(),
                    Record = "1",
                    Title = "Lost on the way",
                    At = DateTimeOffset.UtcNow,
                }
            );
            return await store.SaveChangesAsync();
        });
        await maren.SendAsync(page.QuerySelector("[data-form]")!.GetAttribute("action")!, typed);
        Assert.Equal("1", await CountAsync("Lost on the way"));
    }

    // The name of a transaction that did not come to its end.
    private async Task<string> AbortedAsync()
    {
        await using var source = Npgsql.NpgsqlDataSource.Create(application.FleetConnection);
        await using var connection = await source.OpenConnectionAsync();
        await using var transaction = await connection.BeginTransactionAsync();
        await using var command = new Npgsql.NpgsqlCommand("SELECT pg_current_xact_id()::text", connection, transaction);
        var name = (string)(await command.ExecuteScalarAsync())!;
        await transaction.RollbackAsync();
        return name;
    }

    [Fact]
    public async Task What_another_builder_did_unseen_is_not_published()
    {
        var bea = await application.AsAsync("bea");
        const string Versions = "/build/apps/timetable/versions";
        var looked = await bea.PageAsync(Versions);
        string Value(string name) => looked.QuerySelector($"form.publish input[name={name}]")!.GetAttribute("value")!;
        var draft = await application.DraftAsync("timetable");
        await application.InStoreAsync(async store =>
        {
            Store.Drafts.Replace(store, draft, draft.Draft with { Name = "Timetable anew" });
            return await store.SaveChangesAsync();
        });
        using var refused = await bea.SendAsync(
            $"{Versions}?handler=Publish",
            [("__RequestVerificationToken", Value("__RequestVerificationToken")), ("revision", Value("revision")), ("Note", "mine")]
        );
        Assert.Contains(
            "the draft has changed since you looked at it",
            (await Visitor.ParseAsync(refused)).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(1, (await application.DraftAsync("timetable")).LiveVersion);
    }

    [Fact]
    public async Task Of_several_publications_at_one_moment_one_is_made_and_nobody_meets_an_error()
    {
        var bea = await application.AsAsync("bea");
        const string Versions = "/build/apps/maintenance/versions";
        var draft = await application.DraftAsync("maintenance");
        await application.InStoreAsync(async store =>
        {
            Store.Drafts.Replace(store, draft, draft.Draft with { Name = "Upkeep" });
            return await store.SaveChangesAsync();
        });
        var looked = await bea.PageAsync(Versions);
        string Value(string name) => looked.QuerySelector($"form.publish input[name={name}]")!.GetAttribute("value")!;
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(at =>
                    bea.SendAsync(
                        $"{Versions}?handler=Publish",
                        [
                            ("__RequestVerificationToken", Value("__RequestVerificationToken")),
                            ("revision", Value("revision")),
                            ("Note", $"note {at}"),
                        ]
                    )
                )
        );
        Assert.All(answers, answer =>
            Assert.True(answer.StatusCode is HttpStatusCode.OK or HttpStatusCode.Redirect, answer.StatusCode.ToString())
        );
        Assert.Single(answers, answer => answer.StatusCode == HttpStatusCode.Redirect);
        Assert.Equal(2, (await application.DraftAsync("maintenance")).LiveVersion);
    }

    [Fact]
    public async Task Rules_that_builders_save_at_one_moment_are_all_kept()
    {
        var bea = await application.AsAsync("bea");
        var dataset = await application.InStoreAsync(async store =>
            (await store.Datasets.AsNoTracking().ToListAsync()).Single(row => row.Definition.Name.Value == "ports")
        );
        var area = $"/build/sources/{dataset.SourceId:N}/{dataset.Id:N}/rules";
        var page = await bea.PageAsync($"{area}/new");
        var token = page.QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        var answers = await Task.WhenAll(
            Enumerable
                .Range(1, 8)
                .Select(number =>
                    bea.SendAsync(
                        $"{area}/new",
                        [
                            ("__RequestVerificationToken", token),
                            ("Kind", "holds"),
                            ("Warns", "false"),
                            ("At", "berths"),
                            ("Message", $"Rule number {number}"),
                            ("must.as", "formula"),
                            ("must.formula", $"berths < {100 + number}"),
                            ("when.as", "picked"),
                            ("when.row", "all"),
                            ("when.row", "end"),
                        ]
                    )
                )
        );
        var rules = await application.InStoreAsync(async store =>
            (await store.Datasets.AsNoTracking().FirstAsync(row => row.Id == dataset.Id)).Definition.Rules
        );
        Assert.Equal(answers.Count(answer => answer.StatusCode == HttpStatusCode.Redirect), rules.Length);
        Assert.Equal(8, rules.Length);
    }
}
