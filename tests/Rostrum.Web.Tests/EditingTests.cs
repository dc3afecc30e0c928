using System.Net;
using AngleSharp.Dom;

namespace Rostrum.Web.Tests;

public sealed class EditingTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Defects = "/apps/maintenance/defects";

    private static string Said(IDocument page) => page.QuerySelector("[data-message] span")?.TextContent ?? "";

    private static string ProblemAt(IDocument page, string field) => page.QuerySelector($"#field-{field}-problem")?.TextContent ?? "";

    private Task<string> DefectAsync(int id) => application.FleetScalarAsync($"SELECT to_jsonb(d) FROM defects d WHERE id = {id}");

    [Fact]
    public async Task A_list_shows_names_counts_and_what_the_address_asks_for()
    {
        var bea = await application.AsAsync("bea");
        var page = await bea.PageAsync(
            Defects + "?defects.is.vessel=BF-101&defects.is.state=open&defects.sort=title&defects.from.reported_at=2020-01-01"
        );
        Assert.All(page.QuerySelectorAll("tbody tr td:nth-child(2)"), cell => Assert.Equal("Kittiwake", cell.TextContent));
        Assert.Equal(
            ["from 01 Jan 2020", "is Kittiwake", "is open"],
            page.QuerySelectorAll(".part em").Select(part => part.TextContent).Order(StringComparer.Ordinal)
        );
        var titles = page.QuerySelectorAll("tbody th").Select(cell => cell.TextContent).ToArray();
        Assert.Equal(titles.Order(StringComparer.Ordinal), titles);
        Assert.Equal($"{titles.Length} defects", page.QuerySelector(".count")!.TextContent);
    }

    [Theory]
    [InlineData("?defects.sort=no_such_field")]
    [InlineData("?defects.is.cost=x&defects.from.due=yesterday&defects.has.id=3")]
    [InlineData("?defects.page=999999")]
    [InlineData("?defects.page=-1&defects.after=rubbish&defects.before=%2F")]
    [InlineData("?defects.after=WyJ4Il0")]
    [InlineData("?defects.selected=no-number")]
    [InlineData("?defects.selected=99999999")]
    [InlineData("?defects.q=%25%27%3B--")]
    public async Task An_address_with_slips_in_it_still_gives_a_page(string query) =>
        Assert.Equal(HttpStatusCode.OK, await (await application.AsAsync("bea")).StatusAsync(Defects + query));

    [Fact]
    public async Task A_record_is_changed_and_the_change_undone()
    {
        var before = await DefectAsync(11);
        var bea = await application.AsAsync("bea");
        var open = await bea.PageAsync(Defects + "?defects.selected=11");
        var saved = await Visitor.ParseAsync(
            await bea.SubmitAsync(open, "Save", ("v.title", "<script>alert('x')</script> \"quoted\""), ("v.estimated_cost", "12.5"))
        );
        Assert.Equal("Defect “<script>alert('x')</script> \"quoted\"” saved.", Said(saved));
        Assert.Empty(saved.QuerySelectorAll("tbody script"));
        Assert.Equal(
            "<script>alert('x')</script> \"quoted\"|12.50",
            await application.FleetScalarAsync("SELECT title || '|' || estimated_cost FROM defects WHERE id = 11")
        );
        Assert.Single(saved.QuerySelectorAll("tr.marked"));

        var undo = saved.QuerySelector("[name=undo]")!.GetAttribute("value")!;
        var undone = await Visitor.ParseAsync(
            await bea.PostAsync(Defects + "?defects.selected=11", Defects + "?handler=Undo", ("undo", undo))
        );
        Assert.StartsWith("Undone", Said(undone), StringComparison.Ordinal);
        Assert.Equal(before, await DefectAsync(11));
        var again = await Visitor.ParseAsync(
            await bea.PostAsync(Defects + "?defects.selected=11", Defects + "?handler=Undo", ("undo", undo))
        );
        Assert.Equal("There is nothing to undo any more.", Said(again));
    }

    [Fact]
    public async Task Nobody_undoes_what_somebody_else_did()
    {
        var bea = await application.AsAsync("bea");
        var saved = await Visitor.ParseAsync(
            await bea.SubmitAsync(await bea.PageAsync(Defects + "?defects.selected=12"), "Save", ("v.actual_cost", "77"))
        );
        var undo = saved.QuerySelector("[name=undo]")!.GetAttribute("value")!;
        var maren = await application.AsAsync("maren");
        Assert.Equal(
            "There is nothing to undo any more.",
            Said(
                await Visitor.ParseAsync(await maren.PostAsync(Defects + "?defects.selected=12", Defects + "?handler=Undo", ("undo", undo)))
            )
        );
        Assert.Equal("77.00", await application.FleetScalarAsync("SELECT actual_cost FROM defects WHERE id = 12"));
    }

    [Fact]
    public async Task A_record_is_added_with_the_databases_own_defaults_and_deleted_and_comes_back()
    {
        var bea = await application.AsAsync("bea");
        var added = await Visitor.ParseAsync(
            await bea.SubmitAsync(
                await bea.PageAsync(Defects + "?defects.new=1"),
                "Save",
                ("v.title", "Brand new"),
                ("v.vessel", "BF-103"),
                ("v.reported_by", "Tuva Berg")
            )
        );
        Assert.Equal("Defect “Brand new” added.", Said(added));
        var key = added.QuerySelector("tr.marked")!.GetAttribute("data-key")!;
        var before = await application.FleetScalarAsync($"SELECT to_jsonb(d) FROM defects d WHERE id = {key}");
        Assert.Contains("\"state\": \"open\"", before, StringComparison.Ordinal);

        var deleted = await Visitor.ParseAsync(await bea.SubmitAsync(await bea.PageAsync(Defects + $"?defects.selected={key}"), "Delete"));
        Assert.Equal("Defect “Brand new” deleted.", Said(deleted));
        Assert.Equal("", await application.FleetScalarAsync($"SELECT 1 FROM defects WHERE id = {key}"));
        using var undone = await bea.PostAsync(
            Defects + "?defects.new=1",
            Defects + "?handler=Undo",
            ("undo", deleted.QuerySelector("[name=undo]")!.GetAttribute("value")!)
        );
        Assert.Equal(before, await application.FleetScalarAsync($"SELECT to_jsonb(d) FROM defects d WHERE id = {key}"));
    }

    [Fact]
    public async Task What_was_typed_stays_with_a_message_at_each_field_that_cannot_be()
    {
        var before = await DefectAsync(21);
        var bea = await application.AsAsync("bea");
        var page = await Visitor.ParseAsync(
            await bea.SubmitAsync(
                await bea.PageAsync(Defects + "?defects.selected=21"),
                "Save",
                ("v.title", ""),
                ("v.estimated_cost", "a lot"),
                ("v.due", "soon"),
                ("v.reported_by", "<i>me</i>"),
                ("v.actual_cost", "123456789012")
            )
        );
        Assert.Equal("This cannot be left blank.", ProblemAt(page, "title"));
        Assert.Contains("is not a number", ProblemAt(page, "estimated_cost"), StringComparison.Ordinal);
        Assert.Contains("is not a date", ProblemAt(page, "due"), StringComparison.Ordinal);
        Assert.Contains("room for 8 digits", ProblemAt(page, "actual_cost"), StringComparison.Ordinal);
        Assert.Equal(
            ["a lot", "soon", "<i>me</i>"],
            new[] { "estimated_cost", "due", "reported_by" }.Select(field => page.QuerySelector($"#field-{field}")!.GetAttribute("value"))
        );
        Assert.Equal("text", page.QuerySelector("#field-due")!.GetAttribute("type"));
        Assert.Equal(before, await DefectAsync(21));
    }

    [Fact]
    public async Task A_rule_of_the_database_is_said_at_its_fields()
    {
        var bea = await application.AsAsync("bea");
        var page = await Visitor.ParseAsync(
            await bea.SubmitAsync(
                await bea.PageAsync("/apps/timetable/sailings?sailings.selected=5"),
                "Save",
                ("v.arrives_planned", "2020-01-01T10:00")
            )
        );
        Assert.Contains("“arrives after departure”", ProblemAt(page, "arrives_planned"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Two_people_who_edit_one_record_are_both_heard()
    {
        var bea = await application.AsAsync("bea");
        var maren = await application.AsAsync("maren");
        var opened = await bea.PageAsync(Defects + "?defects.selected=31");
        using var first = await maren.SubmitAsync(
            await maren.PageAsync(Defects + "?defects.selected=31"),
            "Save",
            ("v.title", "As Maren has it"),
            ("v.actual_cost", "5")
        );

        var conflict = await Visitor.ParseAsync(
            await bea.SubmitAsync(opened, "Save", ("v.title", "As Bea has it"), ("v.reported_by", "Bea Holm"))
        );
        Assert.Contains("Somebody else saved this defect", conflict.QuerySelector(".alert")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(
            ["As Bea has it", "Bea Holm", "5.00"],
            new[] { "title", "reported_by", "actual_cost" }.Select(field =>
                conflict.QuerySelector($"#field-{field}")!.GetAttribute("value")
            )
        );
        Assert.Contains("As Maren has it", conflict.QuerySelector("#field-title-meanwhile")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(
            "As Maren has it|5.00",
            await application.FleetScalarAsync("SELECT title || '|' || actual_cost FROM defects WHERE id = 31")
        );

        using var second = await bea.SubmitAsync(conflict, "Save");
        Assert.Equal(
            "As Bea has it|5.00|Bea Holm",
            await application.FleetScalarAsync("SELECT title || '|' || actual_cost || '|' || reported_by FROM defects WHERE id = 31")
        );
    }

    [Fact]
    public async Task What_was_typed_into_a_record_that_somebody_deleted_still_stands_there()
    {
        var bea = await application.AsAsync("bea");
        var opened = await bea.PageAsync(Defects + "?defects.selected=41");
        await application.FleetAsync("DELETE FROM defects WHERE id = 41");
        var page = await Visitor.ParseAsync(await bea.SubmitAsync(opened, "Save", partial: true, ("v.title", "half an hour of typing")));
        Assert.Contains("Somebody deleted this defect", page.QuerySelector(".alert")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("half an hour of typing", page.QuerySelector("#field-title")!.GetAttribute("value"));
    }

    [Fact]
    public async Task A_picture_is_served_so_that_nothing_in_it_can_run()
    {
        var bea = await application.AsAsync("bea");
        using var answer = await bea.Client.GetAsync("/apps/maintenance/vessels?handler=Image&field=picture&record=BF-101");
        Assert.Equal("image/svg+xml", answer.Content.Headers.ContentType!.MediaType);
        Assert.Contains("sandbox", answer.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.NotFound, await bea.StatusAsync("/apps/maintenance/vessels?handler=Image&field=name&record=BF-101"));
    }

    [Fact]
    public async Task What_begins_so_is_offered_before_what_has_it_somewhere()
    {
        var maren = await application.AsAsync("maren");
        async Task<string[]> OfferedAsync(string typed) =>
            [
                .. System
                    .Text.Json.JsonDocument.Parse(
                        await maren.Client.GetStringAsync(
                            new Uri($"{Defects}?handler=Lookup&field=vessel&q={Uri.EscapeDataString(typed)}", UriKind.Relative)
                        )
                    )
                    .RootElement.EnumerateArray()
                    .Select(one => one.GetProperty("text").GetString()!),
            ];
        Assert.Equal("Razorbill", (await OfferedAsync("r"))[0]);
        Assert.Contains("Fulmar", await OfferedAsync("r"));
        Assert.Equal(["Old Petrel"], await OfferedAsync("PETR"));
        Assert.Equal(["Great Skua"], await OfferedAsync("skua gr"));
        Assert.Equal("Kittiwake", (await OfferedAsync("BF-101"))[0]);
        Assert.Empty(await OfferedAsync("\"') OR (1=1"));
    }

    [Fact]
    public async Task A_related_record_is_looked_up_by_its_name()
    {
        var bea = await application.AsAsync("bea");
        using var answer = await bea.Client.GetAsync(Defects + "?handler=Lookup&field=vessel&q=kitti");
        Assert.Equal("""[{"value":"BF-101","text":"Kittiwake"}]""", await answer.Content.ReadAsStringAsync());
    }
}

public sealed class OutageTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    [Fact]
    public async Task A_panel_whose_source_stopped_says_so_and_recovers_by_itself()
    {
        var bea = await application.AsAsync("bea");
        var opened = await bea.PageAsync("/apps/maintenance/defects?defects.selected=1");
        await DemoApplication.ServerAsync(
            $"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{application.FleetName}'"
        );
        await DemoApplication.ServerAsync($"ALTER DATABASE {application.FleetName} RENAME TO {application.FleetName}_away");
        Assert.Contains(
            "cannot be read at the moment",
            (await bea.PageAsync("/apps/maintenance/defects")).Body!.TextContent,
            StringComparison.Ordinal
        );
        var page = await bea.PageAsync("/apps/maintenance/defects");
        Assert.DoesNotContain(application.FleetName, page.Body!.TextContent, StringComparison.Ordinal);
        Assert.DoesNotContain("127.0.0.1", page.Body.TextContent, StringComparison.Ordinal);
        Assert.Contains("give an owner this number", page.Body.TextContent, StringComparison.Ordinal);
        Assert.Contains(
            application.FleetName,
            (await bea.PageAsync("/try/maintenance/defects")).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Contains("Maintenance", page.QuerySelector(".masthead-name")!.TextContent, StringComparison.Ordinal);
        Assert.NotNull(page.QuerySelector("[hx-trigger='every 5s']"));
        Assert.Equal(HttpStatusCode.OK, await bea.StatusAsync("/build"));
        using var save = await bea.SubmitAsync(opened, "Save", partial: true, ("v.title", "typed while it was away"));
        Assert.Equal(HttpStatusCode.ServiceUnavailable, save.StatusCode);

        await DemoApplication.ServerAsync($"ALTER DATABASE {application.FleetName}_away RENAME TO {application.FleetName}");
        Assert.NotEmpty((await bea.PageAsync("/apps/maintenance/defects")).QuerySelectorAll("tbody tr"));
    }
}
