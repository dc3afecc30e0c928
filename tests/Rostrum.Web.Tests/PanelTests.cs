using System.Net;
using System.Text.Json;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Web.Live;
using Rostrum.Web.Security;

namespace Rostrum.Web.Tests;

/// <summary>What people do with the panels of the demo's apps.</summary>
public sealed class PanelTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Defects = "/apps/maintenance/defects";

    private static string Said(IDocument page) => page.QuerySelector("[data-message] span")?.TextContent ?? "";

    private static async Task<IDocument> BulkAsync(Visitor visitor, string keys, string does, params (string, string)[] form) =>
        await Visitor.ParseAsync(
            await visitor.PostAsync(
                Defects,
                $"{Defects}?handler=Bulk&panel=defects&does={does}"
                    + $"{string.Concat(keys.Split(' ').Select(key => $"&defects.checked={key}"))}",
                form
            )
        );

    // What the preview showed goes with what confirms it.
    private static IEnumerable<(string, string)> Seen(IDocument preview) =>
        preview.QuerySelectorAll("input[name^='seen.']").Select(input => (input.GetAttribute("name")!, input.GetAttribute("value")!));

    [Theory]
    [InlineData("change")]
    [InlineData("delete")]
    public async Task What_a_colleague_saves_between_preview_and_confirmation_is_neither_overwritten_nor_deleted(string does)
    {
        var maren = await application.AsAsync("maren");
        await application.FleetAsync(
            "INSERT INTO defects (vessel, reported_by, reported_at, title, description, severity, state) "
                + "SELECT vessel, 'Nobody', now(), 'Bulk record ' || n, '', 'minor', 'open' FROM defects, generate_series(1, 2) n "
                + "WHERE id = 1"
        );
        var keys = (
            await application.FleetScalarAsync(
                "SELECT string_agg(id::text, ' ') FROM (SELECT id FROM defects ORDER BY id DESC LIMIT 2) last"
            )
        ).Split(' ');
        (string, string)[] set = does == "change" ? [("set.severity", "yes"), ("v.severity", "serious")] : [];
        var preview =
            does == "change"
                ? await BulkAsync(maren, string.Join(' ', keys), does, [("step", "preview"), .. set])
                : await maren.PageAsync(
                    $"{Defects}?handler=Bulk&panel=defects&does=delete&defects.checked={keys[0]}&defects.checked={keys[1]}"
                );
        await application.FleetAsync($"UPDATE defects SET severity = 'critical', title = 'Worse than it looked' WHERE id = {keys[0]}");

        var all = await BulkAsync(maren, string.Join(' ', keys), does, [("step", "all"), .. set, .. Seen(preview)]);
        Assert.Contains(
            "Nothing was changed: somebody changed some of these records after the preview.",
            all.Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains("Worse than it looked", all.Body.TextContent, StringComparison.Ordinal);
        Assert.Equal(
            "2",
            await application.FleetScalarAsync(
                $"SELECT count(*)::text FROM defects WHERE id IN ({keys[0]}, {keys[1]}) AND severity IN ('critical', 'minor')"
            )
        );

        var possible = await BulkAsync(maren, string.Join(' ', keys), does, [("step", "possible"), .. set, .. Seen(preview)]);
        Assert.StartsWith(
            $"1 defect {(does == "change" ? "changed" : "deleted")}. 1 stayed as it was.",
            Said(possible),
            StringComparison.Ordinal
        );
        Assert.Equal("critical", await application.FleetScalarAsync($"SELECT severity::text FROM defects WHERE id = {keys[0]}"));
    }

    [Fact]
    public async Task The_demos_apps_are_in_order() =>
        await application.InStoreAsync(async store =>
        {
            var datasets = await store.DatasetsAsync(default);
            var anybody = new Core.Access.SignedIn("", null, []) { Attributes = [new("port", new Core.Datasets.FieldType.Text(), null)] };
            foreach (var address in await store.Apps.Select(app => app.Address).ToListAsync())
            {
                var app = await application.DraftAsync(address);
                Assert.Empty(
                    AppProblems.Of(app.Draft, datasets, anybody).Select(problem => $"{problem.Page} {problem.Panel}: {problem.Message}")
                );
            }

            return 0;
        });

    [Fact]
    public async Task A_bulk_change_says_before_what_will_be_after_and_names_those_that_stay()
    {
        // An engineer may change what is open, and what he reported himself.
        var closed = await application.FleetScalarAsync(
            "SELECT min(id)::text FROM defects WHERE state = 'closed' AND reported_by <> 'Egil Strand'"
        );
        var open = await application.FleetScalarAsync("SELECT min(id)::text FROM defects WHERE state = 'open' AND severity = 'minor'");
        var egil = await application.AsAsync("egil");
        var preview = await BulkAsync(
            egil,
            $"{open} {closed}",
            "change",
            ("step", "preview"),
            ("set.severity", "yes"),
            ("v.severity", "serious")
        );
        Assert.Contains("Available for 1 of 2.", preview.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal("This defect is not among those that you may change.", preview.QuerySelector(".bulk-preview .problem")!.TextContent);
        Assert.Equal(
            ("minor", "serious"),
            (preview.QuerySelector(".before-after del")!.TextContent, preview.QuerySelector(".before-after ins")!.TextContent)
        );
        Assert.Equal("minor", await application.FleetScalarAsync($"SELECT severity::text FROM defects WHERE id = {open}"));

        (string, string)[] asked = [("set.severity", "yes"), ("v.severity", "serious"), .. Seen(preview)];
        var refused = await BulkAsync(egil, $"{open} {closed}", "change", [("step", "all"), .. asked]);
        Assert.Contains("changed since. Check it again", refused.Body!.TextContent, StringComparison.Ordinal);
        var done = await BulkAsync(egil, $"{open} {closed}", "change", [("step", "possible"), .. asked]);
        Assert.Equal("1 defect changed. 1 stayed as it was.", Said(done));
        Assert.Equal("serious", await application.FleetScalarAsync($"SELECT severity::text FROM defects WHERE id = {open}"));
        var undone = await Visitor.ParseAsync(
            await egil.PostAsync(Defects, Defects + "?handler=Undo", ("undo", done.QuerySelector("[name=undo]")!.GetAttribute("value")!))
        );
        Assert.StartsWith("Undone", Said(undone), StringComparison.Ordinal);
        Assert.Equal("minor", await application.FleetScalarAsync($"SELECT severity::text FROM defects WHERE id = {open}"));
        Assert.Contains(
            "You may not delete defects.",
            (await BulkAsync(egil, open, "delete", ("step", "possible"))).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "Tick a field",
            (await BulkAsync(egil, open, "change", ("step", "preview"))).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "is not a number",
            (await BulkAsync(egil, open, "change", ("step", "preview"), ("set.estimated_cost", "yes"), ("v.estimated_cost", "much")))
                .Body!
                .TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task What_a_table_shows_is_downloaded_so_that_nothing_in_it_runs()
    {
        await application.FleetScalarAsync("UPDATE defects SET title = '=1+1, \"quoted\"' WHERE id = 21 RETURNING 1");
        var maren = await application.AsAsync("maren");
        using var answer = await maren.Client.GetAsync(Defects + "?handler=Download&panel=defects&defects.q=quoted&defects.sort=title");
        Assert.Equal("text/csv", answer.Content.Headers.ContentType!.MediaType);
        var lines = (await answer.Content.ReadAsStringAsync()).TrimStart('\uFEFF').Split("\r\n", StringSplitOptions.RemoveEmptyEntries);
        Assert.StartsWith("Title,Vessel,Reported by,Reported at,", lines[0], StringComparison.Ordinal);
        Assert.Equal(2, lines.Length);
        Assert.StartsWith("\"'=1+1, \"\"quoted\"\"\",", lines[1], StringComparison.Ordinal);
        using var all = await maren.Client.GetAsync(Defects + "?handler=Download&panel=defects");
        Assert.Equal(
            await application.FleetScalarAsync("SELECT count(*)::text FROM defects"),
            $"{(await all.Content.ReadAsStringAsync()).Split("\r\n", StringSplitOptions.RemoveEmptyEntries).Length - 1}"
        );
        Assert.Equal(
            HttpStatusCode.Forbidden,
            await (await application.AsAsync("pia")).StatusAsync(Defects + "?handler=Download&panel=defects")
        );
    }

    [Fact]
    public async Task Whoever_may_see_records_takes_them_away_in_a_file_only_where_a_role_allows_that_as_well()
    {
        const string Fuel = "/apps/maintenance/fuel_logs";
        var clem = await application.AsAsync("clem");
        var page = await clem.PageAsync(Fuel);
        Assert.NotEmpty(page.QuerySelectorAll("#panel-fuel_logs tbody tr"));
        Assert.Empty((await clem.ViewMenuAsync(page)).QuerySelectorAll("a[download]"));
        Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync(Fuel + "?handler=Download&panel=fuel_logs"));
        var maren = await application.AsAsync("maren");
        Assert.NotEmpty((await maren.ViewMenuAsync(await maren.PageAsync(Fuel))).QuerySelectorAll("a[download]"));

        // Through the eyes of somebody who may, nobody takes away what they may not themselves.
        var bea = await application.AsAsync("bea");
        await application.InStoreAsync(async store =>
        {
            var fuel = store.Datasets.AsEnumerable().Single(row => row.Definition.Name.Value == "fuel_logs").Id;
            store.Policies.Single(row => row.Role == "builder" && row.DatasetId == fuel).Verbs = Rostrum.Core.Access.Verbs.View;
            return await store.SaveChangesAsync();
        });
        await bea.ViewAsAsync("superintendent");
        Assert.Equal(HttpStatusCode.Forbidden, await bea.StatusAsync(Fuel + "?handler=Download&panel=fuel_logs"));
    }

    [Fact]
    public async Task The_fields_to_filter_by_are_those_that_one_may_read_and_has_not_chosen_yet()
    {
        const string Sailings = "/apps/timetable/sailings?handler=Filter&panel=sailings&field=";
        async Task<string[]> OfferedAsync(string person, string more) =>
            [
                .. (await (await application.AsAsync(person)).PageAsync(Sailings + more))
                    .QuerySelectorAll("button.dropdown-item")
                    .Select(field => field.TextContent),
            ];
        var all = await OfferedAsync("oskar", "");
        Assert.Contains("State", all);
        Assert.Contains("Fare revenue", all);
        Assert.Equal(all.Except(["State"]), await OfferedAsync("oskar", "&sailings.is.state=planned"));
        Assert.DoesNotContain("Fare revenue", await OfferedAsync("pia", ""));

        // Where people cannot filter, there is nothing to choose from.
        var clem = await application.AsAsync("clem");
        Assert.Equal(HttpStatusCode.Forbidden, await clem.StatusAsync(Sailings));
        var oskar = await application.AsAsync("oskar");
        Assert.Equal(
            HttpStatusCode.NotFound,
            await oskar.StatusAsync(Sailings.Replace("panel=sailings", "panel=none", StringComparison.Ordinal))
        );

        // Nor is there where a table is not there, as this one before a vessel is chosen.
        const string OfVessel = "/apps/maintenance/fleet?handler=Filter&panel=defects";
        Assert.Equal(HttpStatusCode.NotFound, await oskar.StatusAsync(OfVessel));
        Assert.Equal(HttpStatusCode.OK, await oskar.StatusAsync(OfVessel + "&vessels.selected=BF-101"));
    }

    [Fact]
    public async Task Values_of_a_filter_are_looked_for_and_what_is_chosen_stays()
    {
        var oskar = await application.AsAsync("oskar");
        const string Asked = Defects + "?handler=Filter&panel=defects&field=vessel";
        async Task<string[]> OfferedAsync(string more) =>
            [
                .. (await oskar.PageAsync(Asked + more))
                    .QuerySelectorAll(".choice")
                    .Select(choice =>
                        choice.QuerySelector("span")!.TextContent + (choice.QuerySelector("input[checked]") is null ? "" : " *")
                    ),
            ];
        Assert.Equal(["Kittiwake"], await OfferedAsync("&q=kitti"));
        Assert.Empty(await OfferedAsync("&q=nothing+like+it"));
        var other = (await OfferedAsync("")).First(name => name != "Kittiwake");
        var key = (await oskar.PageAsync(Asked))
            .QuerySelectorAll(".choice")
            .First(choice => choice.QuerySelector("span")!.TextContent == other)
            .QuerySelector("input")!
            .GetAttribute("value");
        Assert.Equal([other + " *", "Kittiwake"], await OfferedAsync($"&q=kitti&defects.is.vessel={key}"));
    }

    [Fact]
    public async Task A_table_as_one_person_has_it_is_that_persons_alone()
    {
        var tuva = await application.AsAsync("tuva");
        string[] shown = ["title", "vessel", "state"];
        await tuva.PostAsync(
            Defects,
            Defects + "?handler=View&panel=defects",
            [("does", "columns"), ("density", "compact"), .. shown.Select(column => ("shown", column))]
        );
        await tuva.PostAsync(
            Defects,
            Defects + "?handler=View&panel=defects&defects.is.state=open&defects.sort=-due",
            ("does", "keep"),
            ("name", "Open ones")
        );
        var page = await tuva.PageAsync(Defects);
        Assert.Equal(["Title", "Vessel", "State"], page.QuerySelectorAll("thead th[data-field]").Select(head => head.TextContent.Trim()));
        Assert.NotNull(page.QuerySelector("table.rows-compact"));
        var kept = (await tuva.ViewMenuAsync(page)).QuerySelectorAll(".kept a").Single().GetAttribute("href");
        Assert.Equal(Defects + "?defects.is.state=open&defects.sort=-due&defects.view=Open%20ones", kept);
        Assert.Equal(8, (await (await application.AsAsync("maren")).PageAsync(Defects)).QuerySelectorAll("thead th[data-field]").Length);
        await tuva.PostAsync(Defects, Defects + "?handler=View&panel=defects", ("does", "reset"));
        var again = await tuva.PageAsync(Defects);
        Assert.Equal(8, again.QuerySelectorAll("thead th[data-field]").Length);
        Assert.Single((await tuva.ViewMenuAsync(again)).QuerySelectorAll(".kept"));

        // The view has its columns and its density, whatever the table has without it.
        var viewed = await tuva.PageAsync(kept!);
        Assert.Equal(["Title", "Vessel", "State"], viewed.QuerySelectorAll("thead th[data-field]").Select(head => head.TextContent.Trim()));
        Assert.NotNull(viewed.QuerySelector("table.rows-compact"));
    }

    [Fact]
    public async Task An_action_asks_first_and_says_why_it_cannot_be_chosen()
    {
        var open = await application.FleetScalarAsync(
            "SELECT max(id)::text FROM defects WHERE state = 'open' AND actual_cost IS NOT NULL OR id = (SELECT max(id) "
                + "FROM defects WHERE state = 'in work')"
        );
        await application.FleetScalarAsync($"UPDATE defects SET actual_cost = 10, state = 'open' WHERE id = {open} RETURNING 1");
        var maren = await application.AsAsync("maren");
        var page = await maren.PageAsync($"/apps/maintenance/defect?defect={open}");
        var close = page.QuerySelectorAll("button[formaction]")
            .Single(button => button.TextContent.Contains("Close it", StringComparison.Ordinal))
            .GetAttribute("formaction")!;
        var asked = await Visitor.ParseAsync(await maren.PostAsync($"/apps/maintenance/defect?defect={open}", close));
        Assert.StartsWith("Close “", asked.QuerySelector("#ask-words")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("open", await application.FleetScalarAsync($"SELECT state::text FROM defects WHERE id = {open}"));
        var done = await Visitor.ParseAsync(await maren.PostAsync($"/apps/maintenance/defect?defect={open}", close, ("sure", "yes")));
        Assert.StartsWith("Closed: ", Said(done), StringComparison.Ordinal);
        Assert.Equal("closed", await application.FleetScalarAsync($"SELECT state::text FROM defects WHERE id = {open}"));
        var button = done.QuerySelectorAll("button[formaction]")
            .Single(other => other.TextContent.Contains("Close it", StringComparison.Ordinal));
        Assert.True(button.HasAttribute("disabled"));
        Assert.Equal("It is closed already.", button.GetAttribute("title"));
        using var forced = await maren.PostAsync($"/apps/maintenance/defect?defect={open}", close, ("sure", "yes"));
        Assert.Equal(HttpStatusCode.Forbidden, forced.StatusCode);
    }

    [Fact]
    public async Task A_letter_is_begun_with_everything_filled_in()
    {
        await application.FleetScalarAsync("UPDATE defects SET title = 'Ramp & gate' || chr(10) || '\"stuck\"?' WHERE id = 31 RETURNING 1");
        var maren = await application.AsAsync("maren");
        var page = await maren.PageAsync("/apps/maintenance/defect?defect=31");
        var write = page.QuerySelectorAll("button[formaction]")
            .Single(button => button.TextContent.Contains("Write to the yard", StringComparison.Ordinal))
            .GetAttribute("formaction")!;
        using var answer = await maren.SendAsync(
            write,
            [("__RequestVerificationToken", page.QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!)],
            partial: true
        );
        var effect = JsonDocument
            .Parse(answer.Headers.GetValues("HX-Trigger-After-Settle").Single())
            .RootElement.GetProperty("inBrowser")
            .GetProperty("effects")[0];
        var address = effect.GetProperty("what").GetString()!;
        Assert.Equal("open", effect.GetProperty("does").GetString());
        Assert.StartsWith("mailto:yard@brackwater.example?subject=", address, StringComparison.Ordinal);
        Assert.Contains(
            "Ramp%20%26%20gate%20%22stuck%22%3F&body=Good%20day%2C%0D%0A%0D%0Aplease%20look",
            address,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Cards_show_what_belongs_to_each_and_how_much_there_is_of_it()
    {
        var page = await (await application.AsAsync("maren")).PageAsync("/apps/maintenance/vessels");
        var kittiwake = page.QuerySelectorAll(".card-item").Single(card => card.QuerySelector("h3")!.TextContent == "Kittiwake");
        var count = await application.FleetScalarAsync("SELECT count(*)::text FROM defects WHERE vessel = 'BF-101' AND state <> 'closed'");
        Assert.Equal($"Defects 3 of {count}", kittiwake.QuerySelector(".nested h4")!.TextContent);
        Assert.Equal(3, kittiwake.QuerySelectorAll(".nested li").Length);
        Assert.StartsWith(
            "/apps/maintenance/defect?defect=",
            kittiwake.QuerySelector(".nested li a")!.GetAttribute("href"),
            StringComparison.Ordinal
        );
        Assert.All(page.QuerySelectorAll(".card-picture img"), image => Assert.Equal("lazy", image.GetAttribute("loading")));

        // Who may not see what belongs to a record sees the record all the same.
        var clerk = await application.AsAsync("aud");
        Assert.NotEmpty((await clerk.PageAsync("/apps/maintenance/vessels")).QuerySelectorAll(".card-item"));
    }

    [Fact]
    public async Task The_way_to_a_record_leads_back_and_to_its_neighbours()
    {
        var maren = await application.AsAsync("maren");
        var list = await maren.PageAsync("/apps/maintenance/today");
        var links = list.QuerySelectorAll("#panel-due tbody a[data-open]").Select(link => link.GetAttribute("href")!).ToArray();
        var second = await maren.PageAsync(links[1]);
        Assert.Equal("/apps/maintenance/today", second.QuerySelector(".way .breadcrumb a")!.GetAttribute("href"));
        Assert.StartsWith("2 of ", second.QuerySelector(".neighbours span")!.TextContent, StringComparison.Ordinal);
        string Key(string address) =>
            Microsoft
                .AspNetCore.WebUtilities.QueryHelpers.ParseQuery(address[address.IndexOf('?', StringComparison.Ordinal)..])["defect"]
                .ToString();
        Assert.Equal(Key(links[0]), Key(second.QuerySelector(".neighbours [rel=prev]")!.GetAttribute("href")!));
        Assert.Equal(Key(links[2]), Key(second.QuerySelector(".neighbours [rel=next]")!.GetAttribute("href")!));

        // The last of a page of the list is followed by the first of the next.
        var last = await maren.PageAsync(links[^1]);
        var beyond = await maren.PageAsync(last.QuerySelector(".neighbours [rel=next]")!.GetAttribute("href")!);
        Assert.StartsWith($"{links.Length + 1} of ", beyond.QuerySelector(".neighbours span")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.OK, await maren.StatusAsync("/apps/maintenance/defect?defect=1&from=nowhere?from=nowhere"));
    }

    [Fact]
    public async Task Nothing_leads_to_a_page_that_a_person_does_not_see()
    {
        static IEnumerable<string> Ways(IDocument page) => page.QuerySelectorAll("#panel-ways a").Select(link => link.TextContent.Trim());
        Assert.Equal(
            ["All defects", "The fleet at a glance", "Fuel"],
            Ways(await (await application.AsAsync("maren")).PageAsync("/apps/maintenance/today"))
        );
        Assert.Equal(
            ["All defects", "The fleet at a glance"],
            Ways(await (await application.AsAsync("egil")).PageAsync("/apps/maintenance/today"))
        );
    }

    [Fact]
    public async Task A_page_of_an_origin_that_is_not_allowed_is_not_shown()
    {
        Assert.Empty(EmbedOrigins.All);
        Assert.Equal<string>(
            ["https://charts.example", "http://10.0.0.1:8080"],
            EmbedOrigins.Parse(" https://charts.example/board  javascript:alert(1) http://10.0.0.1:8080 nonsense https://charts.example")
        );
        using var answer = await (await application.AsAsync("bea")).Client.GetAsync("/apps/maintenance/today");
        Assert.Contains("frame-src 'self';", answer.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
    }

    [Fact]
    public void An_apps_look_is_a_style_sheet_of_a_few_measures()
    {
        var style = AppLookEndpoint.StyleOf(
            new AppLook
            {
                Accent = "#2f5d86",
                Corners = Corners.Round,
                LargeHeader = true,
                Density = Density.Compact,
            }
        );
        Assert.StartsWith(":root{--masthead:64px;--corner:8px;--row:28px;}", style, StringComparison.Ordinal);
        Assert.Contains("--pine:#2f5d86;", style, StringComparison.Ordinal);
        Assert.Contains("prefers-color-scheme:dark", style, StringComparison.Ordinal);
        Assert.Equal(":root{}", AppLookEndpoint.StyleOf(new AppLook()));
    }
}
