using System.Net;
using System.Text.Json;
using AngleSharp.Dom;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.Extensions.DependencyInjection;

namespace Rostrum.Web.Tests;

/// <summary>Charts, summary tables, boards, calendars and timelines: who sees what in them, and what a move does.</summary>
public sealed class VisualTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Board = "/apps/maintenance/board";
    private const string Overview = "/apps/timetable/punctuality";

    private static string Said(IDocument page) => page.QuerySelector("[data-message] span")?.TextContent ?? "";

    // All panels, however long they take.
    private static async Task<IDocument> ShownAsync(Visitor visitor, string page) =>
        await Visitor.ParseAsync(
            await visitor.Client.GetAsync($"{page}{(page.Contains('?', StringComparison.Ordinal) ? '&' : '?')}handler=Refresh")
        );

    private static async Task<IDocument> MoveAsync(Visitor visitor, string page, string panel, string record, params object[] moves) =>
        await Visitor.ParseAsync(
            await visitor.PostAsync(
                page,
                $"{page}?handler=Move&panel={panel}",
                ("record", record),
                ("moves", JsonSerializer.Serialize(moves))
            )
        );

    private Task<string> StateAsync(string id) => application.FleetScalarAsync($"SELECT state::text FROM defects WHERE id = {id}");

    private static object State(string from, string to) =>
        new
        {
            field = "state",
            from,
            to,
        };

    [Fact]
    public async Task A_chart_counts_what_the_database_counts_and_leads_to_the_records()
    {
        var oskar = await application.AsAsync("oskar");
        var page = await ShownAsync(oskar, Overview);
        var months = page.QuerySelectorAll("#panel-by_month .figures-table tbody tr").ToArray();
        var sum = months
            .SelectMany(row => row.QuerySelectorAll("td"))
            .Sum(cell =>
                decimal.Parse(cell.TextContent, System.Globalization.NumberStyles.Number, System.Globalization.CultureInfo.InvariantCulture)
            );
        Assert.Equal(await application.FleetScalarAsync("SELECT count(*)::text FROM sailings"), $"{sum:0}");

        var mark = page.QuerySelectorAll("#panel-by_month a.mark").First(one => one.GetAttribute("aria-label")!.Contains("cancelled"));
        var said = mark.GetAttribute("aria-label")!;
        var month = QueryHelpers.ParseQuery(mark.GetAttribute("href")!.Split('?')[1])["sailings.from.departs"];
        var opened = await ShownAsync(oskar, $"{Overview}?by_month.group={month}&by_month.series=%3Dcancelled");
        var sheet = opened.QuerySelector("#panel-by_month .chart-records")!;
        var count = said[(said.LastIndexOf(' ') + 1)..];
        Assert.EndsWith(count, sheet.QuerySelector(".count")!.TextContent, StringComparison.Ordinal);
        Assert.All(sheet.QuerySelectorAll("tbody tr"), row => Assert.Contains("cancelled", row.TextContent, StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_mark_leads_to_a_page_whose_list_has_just_its_records_where_the_builder_chose_one()
    {
        var oskar = await application.AsAsync("oskar");
        var page = await ShownAsync(oskar, Overview);
        var marks = page.QuerySelectorAll("#panel-by_month a.mark");
        foreach (var mark in new[] { marks[0], marks.First(one => one.GetAttribute("aria-label")!.Contains("cancelled")), marks[^1] })
        {
            var said = mark.GetAttribute("aria-label")!;
            var list = await oskar.PageAsync(mark.GetAttribute("href")!);
            var count = list.QuerySelector("#panel-sailings .count")!.TextContent;
            Assert.Equal(said[(said.LastIndexOf(' ') + 1)..], count[..count.IndexOf(' ', StringComparison.Ordinal)]);
        }
    }

    [Fact]
    public async Task A_measure_that_a_person_may_not_read_is_not_drawn_and_its_figures_are_no_file()
    {
        await application.InStoreAsync(async store =>
        {
            var auditor = store.Policies.Where(policy => policy.Role == "auditor").ToArray();
            var dataset = store.Datasets.AsEnumerable().Single(row => row.Definition.Name.Value == "sailings").Id;
            auditor.Single(policy => policy.DatasetId == dataset).HiddenFields = ["fare_revenue"];
            return await store.SaveChangesAsync();
        });
        var aud = await application.AsAsync("aud");
        var page = await ShownAsync(aud, Overview);
        var chart = page.QuerySelector("#panel-fares_by_month")!;
        Assert.Empty(chart.QuerySelectorAll("svg"));
        Assert.Contains("a field that is not there for you", chart.TextContent, StringComparison.Ordinal);
        using var file = await aud.Client.GetAsync($"{Overview}?handler=Figures&panel=fares_by_month");
        Assert.Equal(HttpStatusCode.NotFound, file.StatusCode);
        using var seen = await aud.Client.GetAsync($"{Overview}?handler=Figures&panel=by_month");
        Assert.StartsWith("Departs,planned,", await seen.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        var summary = page.QuerySelector("#panel-by_route")!;
        Assert.Empty(summary.QuerySelectorAll("td"));
    }

    [Fact]
    public async Task A_summary_table_has_the_averages_of_the_records_and_not_of_its_cells()
    {
        var oskar = await application.AsAsync("oskar");
        var page = await ShownAsync(oskar, Overview);
        var all = page.QuerySelectorAll("#panel-by_vessel tbody tr")[^1].QuerySelectorAll("td")[^1].TextContent;
        Assert.Equal(
            await application.FleetScalarAsync(
                "SELECT round(avg(CASE WHEN arrives_actual > arrives_planned THEN "
                    + "floor(extract(epoch FROM arrives_actual - arrives_planned) / 60) END), 2)::text FROM sailings"
            ),
            all
        );
        var link = page.QuerySelectorAll("#panel-by_vessel tbody tr")[0].QuerySelectorAll("td a")[^1].GetAttribute("href")!;
        Assert.Contains("Fulmar", (await ShownAsync(oskar, link)).QuerySelector(".chart-records")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_card_is_moved_and_back_by_undo_and_what_meanwhile_changed_stays()
    {
        await application.FleetAsync("UPDATE defects SET state = 'open', reported_by = 'Maren Vik' WHERE id = 61");
        var maren = await application.AsAsync("maren");
        var moved = await MoveAsync(maren, Board, "board", "61", State("open", "in work"));
        Assert.EndsWith("moved.", Said(moved), StringComparison.Ordinal);
        Assert.Equal("in work", await StateAsync("61"));
        var undo = moved.QuerySelector("[data-message] input[name=undo]")!.GetAttribute("value")!;
        using (await maren.PostAsync(Board, $"{Board}?handler=Undo", ("undo", undo))) { }
        Assert.Equal("open", await StateAsync("61"));

        // Two people take the same card: the second is told.
        var oskar = await application.AsAsync("maren");
        await application.FleetAsync("UPDATE defects SET state = 'waiting for parts' WHERE id = 61");
        var late = await MoveAsync(oskar, Board, "board", "61", State("open", "closed"));
        Assert.StartsWith("Not moved: somebody changed this defect meanwhile.", Said(late), StringComparison.Ordinal);
        Assert.Equal("waiting for parts", await StateAsync("61"));
    }

    [Fact]
    public async Task A_card_that_may_not_be_changed_does_not_lift_and_is_not_moved_either()
    {
        await application.FleetAsync("UPDATE defects SET state = 'closed', reported_by = 'Pia Sund', reported_at = now() WHERE id = 62");
        var egil = await application.AsAsync("egil");
        var board = await egil.PageAsync($"{Board}?board.q=");
        var stays = board.QuerySelectorAll(".board-card[data-stays]:not([data-stays=''])");
        Assert.All(stays, card => Assert.Equal("You may not change this defect.", card.GetAttribute("data-stays")));
        Assert.All(board.QuerySelectorAll(".board-card[data-stays]:not([data-stays='']) [data-move]"), _ =>
            Assert.Fail("a card that stays offers to move")
        );
        var refused = await MoveAsync(egil, Board, "board", "62", State("closed", "open"));
        Assert.StartsWith("Not moved: ", Said(refused), StringComparison.Ordinal);
        Assert.Equal("closed", await StateAsync("62"));

        // Nobody moves what the panel does not move, nor where there is no such value.
        using var other = await egil.PostAsync(
            Board,
            $"{Board}?handler=Move&panel=board",
            ("record", "62"),
            ("moves", """[{"field":"estimated_cost","from":null,"to":"1"}]""")
        );
        Assert.Equal(HttpStatusCode.BadRequest, other.StatusCode);
        var nowhere = await MoveAsync(await application.AsAsync("maren"), Board, "board", "62", State("closed", "somewhere"));
        Assert.StartsWith("Not moved: ", Said(nowhere), StringComparison.Ordinal);
        var aud = await (await application.AsAsync("aud")).PageAsync(Board);
        Assert.Contains("You may not change defects.", aud.QuerySelector(".board-stays")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_rule_stops_a_move_and_is_said()
    {
        await application.FleetAsync(
            "INSERT INTO dockings (vessel, yard, planned_start, planned_end, percent_done, budget) "
                + "SELECT 'BF-101', 'Test yard', DATE '2026-05-04', DATE '2026-05-08', 0, 1000"
        );
        var id = await application.FleetScalarAsync("SELECT id::text FROM dockings WHERE yard = 'Test yard'");
        var maren = await application.AsAsync("maren");
        const string Yards = "/apps/maintenance/yards";
        var later = await MoveAsync(
            maren,
            Yards,
            "plan",
            id,
            new
            {
                field = "planned_start",
                from = "2026-05-04",
                days = 7,
            },
            new
            {
                field = "planned_end",
                from = "2026-05-08",
                days = 7,
            }
        );
        Assert.EndsWith("moved.", Said(later), StringComparison.Ordinal);
        Assert.Equal(
            "2026-05-11 2026-05-15",
            await application.FleetScalarAsync($"SELECT planned_start || ' ' || planned_end FROM dockings WHERE id = {id}")
        );
        var shorter = await MoveAsync(
            maren,
            Yards,
            "plan",
            id,
            new
            {
                field = "planned_end",
                from = "2026-05-15",
                days = -30,
            }
        );
        Assert.StartsWith("Not moved: ", Said(shorter), StringComparison.Ordinal);
        Assert.Equal("2026-05-15", await application.FleetScalarAsync($"SELECT planned_end::text FROM dockings WHERE id = {id}"));
    }

    [Fact]
    public async Task A_week_across_the_change_of_clocks_keeps_the_hour()
    {
        var id = await application.FleetScalarAsync("SELECT min(id)::text FROM sailings WHERE state = 'planned'");
        await application.FleetAsync(
            $"UPDATE sailings SET departs = TIMESTAMPTZ '2027-03-26 07:00 UTC', arrives_planned = TIMESTAMPTZ '2027-03-26 08:00 UTC', "
                + $"arrives_actual = NULL WHERE id = {id}"
        );
        static string Instant(int hour) =>
            Rostrum.Core.Datasets.FieldText.ToCanonical(
                new Rostrum.Core.Datasets.FieldType.Instant(),
                new DateTimeOffset(2027, 3, 26, hour, 0, 0, TimeSpan.Zero)
            );
        await application.InStoreAsync(async store =>
        {
            var dataset = store.Datasets.AsEnumerable().Single(row => row.Definition.Name.Value == "sailings").Id;
            store.Policies.Single(row => row.Role == "superintendent" && row.DatasetId == dataset).Verbs = Rostrum.Core.Access.Verbs.All;
            return await store.SaveChangesAsync();
        });
        var maren = await application.AsAsync("maren");
        var moved = await MoveAsync(
            maren,
            "/apps/timetable/calendar",
            "sailings",
            id,
            new
            {
                field = "departs",
                from = Instant(7),
                days = 7,
            },
            new
            {
                field = "arrives_planned",
                from = Instant(8),
                days = 7,
            }
        );
        Assert.EndsWith("moved.", Said(moved), StringComparison.Ordinal);
        var zone = application.Services.GetRequiredService<Rostrum.Core.Datasets.RecordFormat>().Zone;
        var before = TimeZoneInfo.ConvertTime(new DateTimeOffset(2027, 3, 26, 7, 0, 0, TimeSpan.Zero), zone);
        var after = TimeZoneInfo.ConvertTime(
            DateTimeOffset.Parse(
                await application.FleetScalarAsync(
                    $"SELECT to_char(departs AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS\"Z\"') FROM sailings WHERE id = {id}"
                ),
                System.Globalization.CultureInfo.InvariantCulture
            ),
            zone
        );
        Assert.Equal(before.DateTime.AddDays(7), after.DateTime);
    }

    [Theory]
    [InlineData("month")]
    [InlineData("week")]
    [InlineData("day")]
    [InlineData("agenda")]
    public async Task A_calendar_shows_what_there_is_in_each_span_and_for_no_days_at_all(string span)
    {
        var maren = await application.AsAsync("maren");
        var day = await application.FleetScalarAsync("SELECT to_char(min(departs), 'YYYY-MM-DD') FROM sailings WHERE route_code = 'R01'");
        var page = await maren.PageAsync($"/apps/timetable/calendar?sailings.span={span}&sailings.day={day}");
        Assert.NotEmpty(page.QuerySelectorAll("#panel-sailings [data-event], #panel-sailings .calendar-count"));
        var far = await maren.PageAsync($"/apps/timetable/calendar?sailings.span={span}&sailings.day=0001-01-01");
        Assert.NotNull(far.QuerySelector("#panel-sailings h3"));
        var last = await maren.PageAsync($"/apps/timetable/calendar?sailings.span={span}&sailings.day=9999-12-31");
        Assert.NotNull(last.QuerySelector("#panel-sailings"));
    }

    [Fact]
    public async Task A_page_that_hears_of_changes_is_told_once_records_were_saved()
    {
        var maren = await application.AsAsync("maren");
        await application.FleetAsync("UPDATE defects SET state = 'open' WHERE id = 63");
        using var ends = new CancellationTokenSource(TimeSpan.FromSeconds(20));
        using var stream = await maren.Client.GetStreamAsync($"{Board}?handler=Events", ends.Token);
        using var reader = new StreamReader(stream);
        Assert.Equal(": open", await reader.ReadLineAsync(ends.Token));
        await MoveAsync(maren, Board, "board", "63", State("open", "in work"));
        string? line;
        do
        {
            line = await reader.ReadLineAsync(ends.Token);
        } while (line is "" or null || line.StartsWith(':'));
        Assert.Equal("event: changed", line);
        var again = await maren.Client.GetStringAsync($"{Board}?handler=Refresh", ends.Token);
        Assert.Contains("panel-board", again, StringComparison.Ordinal);
    }
}
