using System.Net;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;

namespace Rostrum.Web.Tests;

/// <summary>Calendars as files (RFC 5545): what programs read under a secret address, and what a file adds.</summary>
public sealed class CalendarFileTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Sailings = "/apps/timetable/calendar";
    private const string Changes = "/apps/timetable/change_board";

    private static async Task<(string Feed, IDocument Shown)> MakeAsync(Visitor visitor, string page, string panel, string state = "")
    {
        using var answer = await visitor.PostAsync(page, $"{page}?handler=Feed&panel={panel}{state}");
        var shown = await Visitor.ParseAsync(answer);
        return (new Uri(shown.QuerySelector("#calendar-feed-made")!.GetAttribute("value")!).PathAndQuery, shown);
    }

    private static int Events(string file) => file.Split("BEGIN:VEVENT").Length - 1;

    [Fact]
    public async Task A_feed_has_what_its_owner_may_see_until_it_is_withdrawn()
    {
        var (pia, oskar, program) = (await application.AsAsync("pia"), await application.AsAsync("oskar"), application.Anonymous());
        await application.FleetAsync(
            "UPDATE sailings SET departs = now() + interval '1 hour' * (id % 100), "
                + "arrives_planned = now() + interval '1 hour' * (id % 100 + 1), "
                + "arrives_actual = NULL WHERE id IN (SELECT id FROM sailings WHERE route_code = 'R02' ORDER BY id LIMIT 7)"
        );
        var (all, _) = await MakeAsync(oskar, Sailings, "sailings", "&on_route.value=R02");
        var file = await program.Client.GetStringAsync(all);
        Assert.StartsWith("BEGIN:VCALENDAR", file, StringComparison.Ordinal);
        Assert.Equal(7, Events(file));
        Assert.Contains("R02", file, StringComparison.Ordinal);
        Assert.DoesNotContain("R01", file, StringComparison.Ordinal);

        await application.FleetAsync(
            "UPDATE timetable_changes SET valid_from = current_date, valid_until = current_date + 3, asked_by = 'Somebody', "
                + "state = CASE WHEN id % 2 = 0 THEN 'refused' ELSE 'asked' END::change_state"
        );
        var (own, shown) = await MakeAsync(pia, Changes, "when");
        var few = Events(await program.Client.GetStringAsync(own));
        var (most, _) = await MakeAsync(oskar, Changes, "when");
        Assert.InRange(few, 1, Events(await program.Client.GetStringAsync(most)) - 1);

        // It is shown once, and what is kept of it opens nothing.
        using var again = await pia.Client.GetAsync($"{Changes}?handler=Feed&panel=when");
        Assert.DoesNotContain(own, await again.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        var withdrawn = shown.QuerySelector("input[name=withdraw]")!.GetAttribute("value")!;
        using (await oskar.PostAsync(Changes, $"{Changes}?handler=Feed&panel=when", ("withdraw", withdrawn))) { }
        Assert.Equal(HttpStatusCode.OK, await program.StatusAsync(own));
        using (await pia.PostAsync(Changes, $"{Changes}?handler=Feed&panel=when", ("withdraw", withdrawn))) { }
        Assert.Equal(HttpStatusCode.Gone, await program.StatusAsync(own));
        Assert.Equal(HttpStatusCode.Gone, await program.StatusAsync("/calendars/guessed.ics"));
    }

    [Fact]
    public async Task A_feed_ends_with_the_right_to_the_page()
    {
        var maren = await application.AsAsync("maren");
        var (feed, _) = await MakeAsync(maren, Sailings, "sailings");
        var program = application.Anonymous();
        Assert.Equal(HttpStatusCode.OK, await program.StatusAsync(feed));
        await application.InStoreAsync(async store =>
        {
            store.Users.Single(person => person.UserName == "maren").DeactivatedAt = DateTimeOffset.UtcNow;
            return await store.SaveChangesAsync();
        });
        Assert.Equal(HttpStatusCode.Gone, await program.StatusAsync(feed));
        await application.InStoreAsync(async store =>
        {
            store.Users.Single(person => person.UserName == "maren").DeactivatedAt = null;
            return await store.SaveChangesAsync();
        });
    }

    private const string File = """
        BEGIN:VCALENDAR
        VERSION:2.0
        PRODID:-//Somebody//EN
        BEGIN:VEVENT
        UID:one
        DTSTAMP:20260101T000000Z
        DTSTART;VALUE=DATE:20270301
        DTEND;VALUE=DATE:20270304
        SUMMARY:Dredging at the berth
        END:VEVENT
        BEGIN:VEVENT
        UID:two
        DTSTAMP:20260101T000000Z
        DTSTART:20270310T230000Z
        DTEND:20270311T010000Z
        SUMMARY:Night work
        END:VEVENT
        END:VCALENDAR
        """;

    private static async Task<IDocument> SendAsync(Visitor visitor, string file)
    {
        var token = (await visitor.PageAsync(Changes)).QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!;
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new StringContent(file), "file", "plan.ics" },
        };
        using var answer = await visitor.Client.PostAsync($"{Changes}?handler=Import&panel=when", form);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        return await Visitor.ParseAsync(answer);
    }

    private static async Task<IDocument> StepAsync(Visitor visitor, IDocument asked, string step, params (string, string)[] fields)
    {
        var events = asked.QuerySelector("#asked input[name=events]")!.GetAttribute("value")!;
        using var answer = await visitor.PostAsync(
            Changes,
            $"{Changes}?handler=Import&panel=when",
            [("events", events), ("step", step), .. fields]
        );
        return await Visitor.ParseAsync(answer);
    }

    [Fact]
    public async Task The_events_of_a_file_are_looked_at_and_then_added_and_taken_back_as_one()
    {
        var maren = await application.AsAsync("maren");
        Task<string> There() =>
            application.FleetScalarAsync(
                "SELECT coalesce(string_agg(valid_from || ' ' || valid_until || ' ' || reason, '; ' ORDER BY valid_from), '') "
                    + "FROM timetable_changes WHERE route = 'R07' AND valid_from >= DATE '2027-03-01' AND valid_from < DATE '2027-04-01'"
            );
        // What is added here is not to be agreed to: the demo's workflow would change it.
        await application.InStoreAsync(async store =>
        {
            await foreach (var workflow in store.Workflows.AsAsyncEnumerable())
            {
                workflow.IsOn = false;
            }

            return await store.SaveChangesAsync();
        });
        Assert.Equal("", await There());
        var asked = await SendAsync(maren, File);
        Assert.Equal("Add 2 timetable changes", asked.QuerySelector("#ask-title")!.TextContent);

        // Without what every record needs none can be added, and it says why.
        var tried = await StepAsync(maren, asked, "try");
        Assert.Contains("None of them can be added", tried.QuerySelector("dialog")!.TextContent, StringComparison.Ordinal);
        Assert.Empty(tried.QuerySelectorAll("button[value=add]"));
        (string, string)[] common = [("v.route", "R07"), ("v.asked_by", "Harbour office"), ("v.state", "asked")];
        tried = await StepAsync(maren, asked, "try", common);
        Assert.Equal("Add 2 timetable changes", tried.QuerySelector("button[value=add]")!.TextContent);
        Assert.Equal("", await There());

        var added = await StepAsync(maren, asked, "add", common);
        Assert.StartsWith("2 timetable changes added.", added.QuerySelector("[data-message] span")!.TextContent, StringComparison.Ordinal);
        // The end of whole days is the day after the last; a moment is that of the workspace's clocks.
        Assert.Equal("2027-03-01 2027-03-03 Dredging at the berth; 2027-03-10 2027-03-11 Night work", await There());
        var undo = added.QuerySelector("[data-message] input[name=undo]")!.GetAttribute("value")!;
        using (await maren.PostAsync(Changes, $"{Changes}?handler=Undo", ("undo", undo))) { }
        Assert.Equal("", await There());
    }

    [Theory]
    [InlineData("no calendar at all", "The file is no calendar")]
    [InlineData("BEGIN:VCALENDAR\nVERSION:2.0\nEND:VCALENDAR", "There are no events in the file.")]
    [InlineData("BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART:yesterday\nEND:VEVENT\nEND:VCALENDAR", "There are no events")]
    public async Task What_is_no_calendar_is_said_to_be_none(string file, string said)
    {
        var asked = await SendAsync(await application.AsAsync("maren"), file);
        Assert.Contains(said, asked.QuerySelector("#asked .problem")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task An_event_that_does_not_say_when_it_is_is_left_out_with_a_word()
    {
        var asked = await SendAsync(
            await application.AsAsync("maren"),
            File.Replace("20270310T230000Z", "yesterday", StringComparison.Ordinal)
        );
        Assert.Equal("Add 1 timetable change", asked.QuerySelector("#ask-title")!.TextContent);
        Assert.Contains("One event has no readable start", asked.QuerySelector("#asked .warning")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task An_event_that_comes_again_and_again_is_added_for_a_year_and_no_further()
    {
        var file = File.Replace("UID:two", "UID:two\nRRULE:FREQ=WEEKLY", StringComparison.Ordinal)
            .Replace("20270310", "20260105", StringComparison.Ordinal)
            .Replace("20270311", "20260106", StringComparison.Ordinal);
        var asked = await SendAsync(await application.AsAsync("maren"), file);
        var events = asked.QuerySelector("#asked input[name=events]")!.GetAttribute("value")!;
        Assert.InRange(events.Split("Night work").Length - 1, 60, 105);
    }

    [Fact]
    public async Task Whoever_may_not_add_imports_nothing()
    {
        var aud = await application.AsAsync("aud");
        Assert.Empty((await aud.PageAsync(Changes)).QuerySelectorAll("input[type=file]"));
        using var refused = await aud.PostAsync(Changes, $"{Changes}?handler=Import&panel=when", ("events", "[]"), ("step", "add"));
        Assert.Equal(HttpStatusCode.NotFound, refused.StatusCode);
    }
}
