using System.Text.Json;
using AngleSharp.Dom;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.Panels.Schedules;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>Boards with lanes and an order that a field keeps, and calendars with hours: what the demo's apps do not have.</summary>
public sealed class DraftedVisualTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Address = "/try/maintenance/lanes";
    private const string Charts = "/try/maintenance/groupings";

    private static Page PageOf(string address, params Panel[] panels) =>
        new()
        {
            Address = address,
            Name = address,
            Audience = ["builder"],
            Panels = [.. panels],
        };

    private async Task<Visitor> BuilderAsync()
    {
        await application.InStoreAsync(async store =>
        {
            var datasets = await store.DatasetsAsync(default);
            var stored = await application.DraftAsync("maintenance");
            var board = new BoardPanel
            {
                Name = "board",
                Dataset = datasets.All.Single(dataset => dataset.Name.Value == "defects").Id,
                By = new FieldName("state"),
                Lanes = new FieldName("vessel"),
                OrderField = new FieldName("estimated_cost"),
                RowsPerPage = 5,
            };
            var hours = new CalendarPanel
            {
                Name = "hours",
                Dataset = board.Dataset,
                Start = new FieldName("reported_at"),
                Span = CalendarSpan.Day,
                AllowAdding = true,
                SheetFields = [new FieldName("title"), new FieldName("reported_at")],
            };
            var sailings = datasets.All.Single(dataset => dataset.Name.Value == "sailings").Id;
            var charts = Groupings.Select(grouping => new ChartPanel
            {
                Name = $"by_{grouping}".ToLowerInvariant(),
                Dataset = sailings,
                Filter = "STARTOF(departs, \"day\") < DATE(2026, 3, 15)",
                By = new FieldName("departs"),
                ByGrouping = grouping,
            });
            var lost = hours with { Name = "lost", Start = new FieldName("vanished") };
            if (
                stored.Draft.Find("lanes") is null
                && new AppEdit.AddPage(9, PageOf("lanes", board, hours, lost)).Apply(stored.Draft, datasets) is EditResult.Done lanes
                && new AppEdit.AddPage(10, PageOf("groupings", [.. charts])).Apply(lanes.App, datasets) is EditResult.Done both
            )
            {
                Drafts.Replace(store, stored, both.App);
                await store.SaveChangesAsync();
            }

            return 0;
        });
        var bea = await application.AsAsync("bea");
        await bea.AllowChangesAsync(Address);
        return bea;
    }

    private static IEnumerable<Grouping> Groupings { get; } =
        Dimension.Offered.Select(offered => offered.Grouping).Where(grouping => Dimension.Suits(grouping, new FieldType.Instant()));

    [Fact]
    public async Task A_moment_is_grouped_in_each_way_that_is_offered()
    {
        var bea = await BuilderAsync();
        var page = await Visitor.ParseAsync(await bea.Client.GetAsync(Charts + "?handler=Refresh"));
        foreach (var grouping in Groupings)
        {
            var chart = page.QuerySelector($"#panel-by_{grouping.ToString().ToLowerInvariant()}")!;
            Assert.True(chart.QuerySelectorAll(".mark").Length > 0, $"{grouping}: {chart.TextContent.Trim()}");
        }
    }

    [Fact]
    public async Task Each_lane_has_all_of_its_cards_as_they_come_into_view()
    {
        var bea = await BuilderAsync();
        var page = await bea.PageAsync(Address);
        var lanes = page.QuerySelectorAll("#panel-board .board-lane").Select(lane => lane.TextContent).ToArray();
        Assert.Equal(
            await application.FleetScalarAsync("SELECT count(DISTINCT vessel)::text FROM defects"),
            lanes.Length.ToString(System.Globalization.CultureInfo.InvariantCulture)
        );

        // Those of one cell, with whatever follows, are those of the database, each once.
        var lane = page.QuerySelectorAll("#panel-board .board")[^1];
        var vessel = lane.GetAttribute("data-lane")!;
        var cell = lane.QuerySelector("[data-column='closed']")!;
        var keys = new List<string>();
        IParentNode part = cell;
        for (var more = part.QuerySelector(".more"); ; more = part.QuerySelector(".more"))
        {
            keys.AddRange(part.QuerySelectorAll(".board-card").Select(card => card.GetAttribute("data-key")!));
            if (more is null)
            {
                break;
            }

            part = await bea.PageAsync(more.GetAttribute("hx-get")!);
        }

        Assert.Equal(keys.Count, keys.Distinct().Count());
        Assert.Equal(
            await application.FleetScalarAsync($"SELECT count(*)::text FROM defects WHERE vessel = '{vessel}' AND state = 'closed'"),
            keys.Count.ToString(System.Globalization.CultureInfo.InvariantCulture)
        );
    }

    [Fact]
    public async Task A_card_between_two_neighbours_without_room_pushes_those_after_it_and_is_taken_back_with_them()
    {
        await application.FleetAsync(
            "UPDATE defects SET estimated_cost = NULL WHERE state = 'in work'; "
                + "UPDATE defects SET state = 'in work', estimated_cost = 1.00 + (id - 71) * 0.01 WHERE id BETWEEN 71 AND 73; "
                + "UPDATE defects SET state = 'in work', estimated_cost = 1.09 WHERE id = 74; "
                + "UPDATE defects SET state = 'open', estimated_cost = 7 WHERE id = 75"
        );
        Task<string> Order() =>
            application.FleetScalarAsync(
                "SELECT string_agg(id || ':' || estimated_cost, ' ' ORDER BY estimated_cost) FROM defects "
                    + "WHERE state = 'in work' AND estimated_cost < 2"
            );
        var bea = await BuilderAsync();
        var before = await Order();
        var moves = new object[]
        {
            new
            {
                field = "state",
                from = "open",
                to = "in work",
            },
            new
            {
                field = "estimated_cost",
                from = "7.00",
                between = new[] { "1.00", "1.01" },
            },
        };
        var moved = await Visitor.ParseAsync(
            await bea.PostAsync(
                Address,
                $"{Address}?handler=Move&panel=board",
                ("record", "75"),
                ("moves", JsonSerializer.Serialize(moves))
            )
        );
        Assert.EndsWith("moved.", moved.QuerySelector("[data-message] span")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("71:1.00 75:1.01 72:1.02 73:1.03 74:1.09", await Order());

        var undo = moved.QuerySelector("[data-message] input[name=undo]")!.GetAttribute("value")!;
        using (await bea.PostAsync(Address, $"{Address}?handler=Undo", ("undo", undo))) { }
        Assert.Equal(before, await Order());
    }

    [Fact]
    public async Task An_hour_of_a_calendar_leads_to_a_new_record_at_that_hour()
    {
        var bea = await BuilderAsync();
        var page = await bea.PageAsync(Address + "?hours.day=2026-03-29");
        var slots = page.QuerySelectorAll("#panel-hours .calendar-slots a").ToArray();
        Assert.Equal(24, slots.Length);
        var form = await bea.PageAsync(slots[14].GetAttribute("href")!);
        Assert.Contains("29 Mar 2026 14:00", form.QuerySelector("[name='v.reported_at']")!.GetAttribute("value"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_panel_whose_field_is_gone_says_so_and_the_others_stand()
    {
        var bea = await BuilderAsync();
        var page = await bea.PageAsync(Address);
        Assert.Contains(
            "Choose the date field at which a record begins.",
            page.QuerySelector("#panel-lost")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.NotEmpty(page.QuerySelectorAll("#panel-board .board-card"));
    }

    [Fact]
    public async Task An_event_of_five_minutes_and_one_of_two_years_have_their_places()
    {
        await application.FleetAsync(
            "INSERT INTO timetable_changes (route, asked_by, reason, valid_from, valid_until) VALUES "
                + "('R01', 'Two years', 'Two years', DATE '2031-06-01', DATE '2033-05-31')"
        );
        var maren = await application.AsAsync("maren");
        const string Agreements = "/apps/timetable/change_board?when.day=2032-02-10";
        foreach (var span in new[] { "month", "week", "day", "agenda" })
        {
            var page = await maren.PageAsync($"{Agreements}&when.span={span}");
            Assert.Contains("Two years", page.QuerySelector("#panel-when")!.TextContent, StringComparison.Ordinal);
        }

        // Of five minutes it is as high as can be read, and within its day.
        await application.FleetAsync("UPDATE defects SET reported_at = TIMESTAMPTZ '2031-03-03 23:55 UTC' WHERE id = 80");
        var bea = await BuilderAsync();
        var day = await bea.PageAsync(Address + "?hours.day=2031-03-03");
        var place = Assert.Single(day.QuerySelectorAll("#panel-hours foreignObject"));
        double Number(string name) => double.Parse(place.GetAttribute(name)!, System.Globalization.CultureInfo.InvariantCulture);
        Assert.True(Number("y") + Number("height") <= 24 * 44 + 0.01);
        Assert.True(Number("height") > 0);
    }
}
