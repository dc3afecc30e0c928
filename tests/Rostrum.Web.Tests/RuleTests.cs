using AngleSharp.Dom;

namespace Rostrum.Web.Tests;

/// <summary>The rules of the demo's datasets as a colleague meets them.</summary>
public sealed class RuleTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Defects = "/apps/maintenance/defects";
    private const string Changes = "/apps/timetable/timetable_changes";

    private static string[] At(IDocument page, string field) =>
        [.. page.QuerySelectorAll($"#field-{field}-problem > div").Select(said => $"{said.ClassName}: {said.TextContent}")];

    [Fact]
    public async Task A_broken_rule_stops_the_save_at_its_field_and_keeps_what_was_typed()
    {
        var bea = await application.AsAsync("bea");
        var open = await bea.PageAsync(Defects + "?defects.selected=21");
        var page = await Visitor.ParseAsync(
            await bea.SubmitAsync(open, "Save", ("v.title", "Leak"), ("v.severity", "critical"), ("v.due", ""))
        );
        Assert.Equal(["problem: Say in a few words what is wrong: eight letters at least."], At(page, "title"));
        Assert.Equal(["problem: A critical defect needs a due date."], At(page, "due"));
        Assert.Equal("Leak", page.QuerySelector("#field-title")!.GetAttribute("value"));
        Assert.NotEqual("Leak", await application.FleetScalarAsync("SELECT title FROM defects WHERE id = 21"));
    }

    [Fact]
    public async Task While_it_is_typed_only_the_messages_that_change_are_sent()
    {
        var bea = await application.AsAsync("bea");
        var open = await bea.PageAsync(Defects + "?defects.selected=22");
        async Task<IDocument> Check(params (string, string)[] typed) =>
            await Visitor.ParseAsync(await bea.SubmitAsync(open, "Check", partial: true, typed));
        var first = await Check(("v.title", "Leak"), ("v.estimated_cost", "-5"));
        Assert.Equal(["field-title-problem", "field-estimated_cost-problem"], first.QuerySelectorAll(".said").Select(said => said.Id));
        Assert.Equal(["problem: An estimate cannot be less than nothing."], At(first, "estimated_cost"));
        var then = await Check(
            ("v.title", "Leak at the pump"),
            ("m.title", "Say in a few words what is wrong: eight letters at least."),
            ("v.estimated_cost", "-5"),
            ("m.estimated_cost", "An estimate cannot be less than nothing.")
        );
        Assert.Equal("field-title-problem", Assert.Single(then.QuerySelectorAll(".said")).Id);
        Assert.Empty(At(then, "title"));
        var number = await Check(("v.estimated_cost", "much"));
        Assert.Equal(["problem: “much” is not a number. Write digits, with a point for decimals."], At(number, "estimated_cost"));
        Assert.NotEqual("Leak", await application.FleetScalarAsync("SELECT title FROM defects WHERE id = 22"));
    }

    [Fact]
    public async Task A_new_record_begins_with_the_defaults_and_says_nothing_of_blanks_before_they_were_left()
    {
        var pia = await application.AsAsync("pia");
        var open = await pia.PageAsync(Changes + "?timetable_changes.new=1");
        Assert.Equal("Pia Sund", open.QuerySelector("#field-asked_by")!.GetAttribute("value"));
        var from = open.QuerySelector("#field-valid_from")!.GetAttribute("value")!;
        Assert.Equal(await application.FleetScalarAsync("SELECT to_char((now() AT TIME ZONE 'UTC')::date + 14, 'DD Mon YYYY')"), from);
        Assert.Empty((await Visitor.ParseAsync(await pia.SubmitAsync(open, "Check", partial: true))).QuerySelectorAll(".said"));
        var until = await Visitor.ParseAsync(await pia.SubmitAsync(open, "Check", partial: true, ("v.valid_until", "2020-01-01")));
        Assert.Equal(["problem: It cannot end before it begins."], At(until, "valid_until"));
        Assert.Single(until.QuerySelectorAll(".said"));
    }

    [Fact]
    public async Task A_warning_is_shown_once_and_then_saved()
    {
        var pia = await application.AsAsync("pia");
        var open = await pia.PageAsync(Changes + "?timetable_changes.new=1");
        var tomorrow = await application.FleetScalarAsync("SELECT ((now() AT TIME ZONE 'UTC')::date + 1)::text");
        (string, string)[] typed = [("v.route", "R01"), ("v.reason", "The quay is being painted"), ("v.valid_from", tomorrow)];
        var warned = await Visitor.ParseAsync(await pia.SubmitAsync(open, "Save", typed));
        Assert.Equal(["warning: Passengers are told a week ahead; this is sooner."], At(warned, "valid_from"));
        Assert.Contains("Save again to keep these values.", warned.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(
            "0",
            await application.FleetScalarAsync("SELECT count(*) FROM timetable_changes WHERE reason LIKE 'The quay is being%'")
        );
        var saved = await Visitor.ParseAsync(await pia.SubmitAsync(warned, "Save"));
        Assert.Contains("added.", saved.QuerySelector("[data-message]")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(
            "Pia Sund",
            await application.FleetScalarAsync("SELECT asked_by FROM timetable_changes WHERE reason LIKE 'The quay is being%'")
        );
    }

    [Fact]
    public async Task Options_and_amounts_are_shown_in_their_formats()
    {
        var page = await (await application.AsAsync("maren")).PageAsync("/apps/maintenance/dockings?dockings.selected=1");
        Assert.Contains(page.QuerySelectorAll("td"), cell => cell.TextContent.StartsWith('€'));
        Assert.Contains(page.QuerySelectorAll("td"), cell => cell.TextContent.EndsWith("\u00a0%", StringComparison.Ordinal));
        var defects = await (await application.AsAsync("maren")).PageAsync(Defects);
        Assert.NotEmpty(defects.QuerySelectorAll("td .option"));
    }
}
