using System.Net;
using System.Net.Http.Headers;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Tests;

/// <summary>
/// What a builder builds with beside single settings: proposals, drafts of whole apps, lists of what belongs to each, an app's look.
/// </summary>
public sealed class BuildingTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Fleet = "/build/apps/maintenance/pages/fleet";
    private const string Vessels = "/build/apps/maintenance/pages/vessels";

    [Fact]
    public async Task What_suits_a_dataset_is_drawn_with_its_records_and_stands_on_the_page_once_chosen()
    {
        var bea = await application.AsAsync("bea");
        var vessels = await IdAsync("vessels");
        var proposals = await bea.PageAsync($"{Fleet}?handler=Proposals&dataset={vessels}");
        Assert.Contains("Kittiwake", proposals.Body!.TextContent, StringComparison.Ordinal);
        var says = proposals.QuerySelectorAll(".proposal-says").Select(button => button.TextContent.Trim()).ToArray();
        Assert.Contains("How many vessels there are", says);
        Assert.All(proposals.QuerySelectorAll(".proposal-drawn"), drawn => Assert.True(drawn.HasAttribute("inert")));
        Assert.Equal("", (await bea.PageAsync($"{Fleet}?handler=Proposals&dataset={Guid.NewGuid()}")).Body!.TextContent.Trim());

        using var added = await EditAsync(bea, $"AddProposed&proposal=count&dataset={vessels}");
        var figure = Assert.IsType<FigurePanel>((await PageAsync("fleet")).All.Single(panel => panel.Name == "vessels_count"));
        Assert.Equal((vessels, (Total?)null), (figure.Dataset.Value, figure.Measure));
        using var unknown = await EditAsync(bea, $"AddProposed&proposal=nothing&dataset={vessels}");
        Assert.Equal(HttpStatusCode.NotFound, unknown.StatusCode);
        using var back = await EditAsync(bea, "Undo");
        Assert.DoesNotContain((await PageAsync("fleet")).All, panel => panel.Name == "vessels_count");
    }

    [Fact]
    public async Task Lists_of_what_belongs_to_each_are_added_set_and_taken_away_at_any_depth()
    {
        var bea = await application.AsAsync("bea");
        var cards = (await PageAsync("vessels")).All.OfType<CardsPanel>().Single();
        var (fuel, count) = (await IdAsync("fuel_logs"), cards.Nested.Length);
        string Nested(string does, string path) => $"Nested&panel={cards.Name}&key=nested&does={does}&path={path}";
        async Task<CardsPanel> NowAsync() => (CardsPanel)(await PageAsync("vessels")).Find(cards.Name)!;
        Task<HttpResponseMessage> NestAsync(string does, string path, params (string Name, string Value)[] fields) =>
            EditAsync(bea, Nested(does, path), Vessels, fields);

        using var added = await NestAsync("add", "", ("nested..add", $"{fuel} fuel_logs"));
        var list = (await NowAsync()).Nested[count];
        Assert.Equal(("fuel_logs", fuel), (list.Relation, list.Dataset.Value));
        using var set = await NestAsync(
            "set",
            $"{count}",
            ($"nested.{count}.most", "500"),
            ($"nested.{count}.filter", "= litres > 100"),
            ($"nested.{count}.field", "litres")
        );
        list = (await NowAsync()).Nested[count];
        Assert.Equal((100, "litres > 100", "litres"), (list.Most, list.Filter, Assert.Single(list.Fields).Value));
        using var elsewhere = await NestAsync("remove", "17");
        Assert.Equal(count + 1, (await NowAsync()).Nested.Length);
        using var removed = await NestAsync("remove", $"{count}");
        Assert.Equal(count, (await NowAsync()).Nested.Length);
    }

    [Fact]
    public async Task An_app_that_is_drafted_for_a_role_is_seen_by_it_and_its_records_too()
    {
        var bea = await application.AsAsync("bea");
        var source = await application.InStoreAsync(async store => (await store.Sources.SingleAsync()).Id);
        var table = await IdAsync("fuel_logs");
        var screen = $"/build/sources/{source}/draft";
        using var drafted = await bea.PostAsync(
            $"{screen}?Chosen={table}",
            screen,
            ("AppName", "Bunker book"),
            ("Chosen", table.ToString()),
            ("Opening", "Page"),
            ($"label.{table:N}", "Bunkers"),
            ($"record.{table:N}", "bunker"),
            ($"title.{table:N}", "id"),
            ($"field.{table:N}.litres", "Litres taken"),
            ("Audience", "clerk"),
            ("Audience", "no such role")
        );
        Assert.Equal("/build/apps/bunker-book", drafted.Headers.Location!.OriginalString);
        var app = await application.DraftAsync("bunker-book");
        Assert.All(app.Draft.Pages, page => Assert.Contains("clerk", page.Audience));
        Assert.All(app.Draft.Pages, page => Assert.DoesNotContain("no such role", page.Audience));
        Assert.Contains(app.Draft.Pages, page => page.Unlisted && page.Parameters.Any(parameter => parameter.Dataset is not null));
        var verbs = await application.InStoreAsync(async store =>
            (await store.Policies.FindAsync("clerk", (await IdAsync("fuel_logs"))))!.Verbs
        );
        Assert.True(verbs.HasFlag(Verbs.View));
        var named = await application.InStoreAsync(async store => (await store.Datasets.SingleAsync(row => row.Id == table)).Definition);
        Assert.Equal(("Bunkers", "bunker", "id"), (named.Label, named.RecordLabel, named.Title.Single().ToString()));
        Assert.Equal("Litres taken", named[new FieldName("litres")].Label);
    }

    [Fact]
    public async Task An_apps_look_is_its_drafts_and_what_could_not_be_read_is_not_taken()
    {
        var bea = await application.AsAsync("bea");
        byte[] png = [0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A, .. new byte[40]];
        using var painted = await LookAsync(bea, png, "image/png", ("accent", "#7a1f5c"), ("corners", "round"));
        Assert.Equal(HttpStatusCode.Redirect, painted.StatusCode);
        var look = (await AppAsync("timetable")).Look!;
        Assert.StartsWith("data:image/png;base64,", look.Logo, StringComparison.Ordinal);
        Assert.Contains("--pine:#7a1f5c", await bea.Client.GetStringAsync("/look/timetable/draft.css"), StringComparison.OrdinalIgnoreCase);
        Assert.Contains("--corner:8px", await bea.Client.GetStringAsync("/look/timetable/draft.css"), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Forbidden, await (await application.AsAsync("clem")).StatusAsync("/look/timetable/draft.css"));

        using var heavy = await LookAsync(bea, [.. png, .. new byte[200_000]], "image/png", ("accent", "#7a1f5c"));
        Assert.Equal(HttpStatusCode.OK, heavy.StatusCode);
        Assert.Equal(look.Logo, (await AppAsync("timetable")).Look!.Logo);
        using var noPicture = await LookAsync(bea, "<svg onload='x'>"u8.ToArray(), "text/html", ("accent", "#7a1f5c"));
        Assert.Equal(look.Logo, (await AppAsync("timetable")).Look!.Logo);
    }

    [Fact]
    public async Task A_draft_edited_at_one_node_is_seen_at_the_other()
    {
        await using var other = application.WithWebHostBuilder(_ => { });
        var there = new Visitor(other.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false }));
        using var signedIn = await there.PostAsync("/sign-in", "/sign-in", ("UserName", "bea"), ("Password", Demo.DemoLoader.Password));
        var here = await application.AsAsync("bea");
        const string Ports = "/build/apps/timetable/pages/ports";
        Assert.DoesNotContain("Havens", (await there.PageAsync("/try/timetable/ports")).Body!.TextContent, StringComparison.Ordinal);
        using var set = await here.PostAsync(
            Ports,
            $"{Ports}?handler=Set&panel=ports&key=heading&revision=1000000",
            ("set.heading", "Havens")
        );
        Assert.Contains("Havens", (await there.PageAsync("/try/timetable/ports")).Body!.TextContent, StringComparison.Ordinal);
        using var again = await there.PostAsync(Ports, $"{Ports}?handler=Undo");
        Assert.DoesNotContain("Havens", (await here.PageAsync("/try/timetable/ports")).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_text_in_Markdown_is_laid_out_where_there_is_room_and_plain_in_a_cell()
    {
        await application.FleetAsync("UPDATE defects SET description = E'**Wet** <b>here</b>\\n\\n- one\\n- two' WHERE id = 60");
        var maren = await application.AsAsync("maren");
        var record = (await maren.PageAsync("/apps/maintenance/defect?defect=60")).QuerySelector("#panel-defect")!;
        Assert.Equal(["one", "two"], record.QuerySelectorAll("dd.prose li").Select(item => item.TextContent.Trim()));
        Assert.Equal("Wet", record.QuerySelector("dd.prose strong")!.TextContent);
        Assert.Null(record.QuerySelector("dd.prose b"));
        Assert.Equal("Wet <b>here</b> one two", Live.Panels.Text.Markdown.Plain("**Wet** <b>here</b>\n\n- one\n- two"));

        var bea = await application.AsAsync("bea");
        var source = await application.InStoreAsync(async store => (await store.Sources.SingleAsync()).Id);
        var cells = (await bea.PageAsync($"/build/sources/{source}/{await IdAsync("defects")}")).QuerySelectorAll("tbody td").ToArray();
        Assert.DoesNotContain(cells, cell => cell.QuerySelector("ul, p") is not null);
        Assert.DoesNotContain(cells, cell => cell.TextContent.Contains("**", StringComparison.Ordinal));
    }

    private async Task<Guid> IdAsync(string dataset) =>
        await application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default)).All.Single(known => known.Name.Value == dataset).Id.Value
        );

    private async Task<AppDefinition> AppAsync(string address) => (await application.DraftAsync(address)).Draft;

    private async Task<Page> PageAsync(string address) => (await AppAsync("maintenance")).Find(address)!;

    private static Task<HttpResponseMessage> EditAsync(
        Visitor visitor,
        string handler,
        string page = Fleet,
        params (string Name, string Value)[] fields
    ) => visitor.PostAsync(page, $"{page}?handler={handler}&revision=1000000", fields);

    private static async Task<HttpResponseMessage> LookAsync(
        Visitor visitor,
        byte[] logo,
        string type,
        params (string Name, string Value)[] fields
    )
    {
        var page = await visitor.PageAsync("/build/apps/timetable");
        using var content = new MultipartFormDataContent();
        foreach (
            var (name, value) in fields.Append(
                ("__RequestVerificationToken", page.QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")!)
            )
        )
        {
            content.Add(new StringContent(value), name);
        }

        using var file = new ByteArrayContent(logo) { Headers = { ContentType = new MediaTypeHeaderValue(type) } };
        content.Add(file, "logo", "logo");
        return await visitor.Client.PostAsync("/build/apps/timetable?handler=Look", content);
    }
}
