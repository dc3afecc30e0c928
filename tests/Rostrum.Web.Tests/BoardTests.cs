using System.Text.Json;
using AngleSharp.Dom;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>A board with lanes and an order that a field keeps.</summary>
public sealed class BoardTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Address = "/try/maintenance/lanes";

    private static Page Lanes(BoardPanel board) =>
        new()
        {
            Address = "lanes",
            Name = "Lanes",
            Audience = ["builder"],
            Panels = [board],
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
            if (
                stored.Draft.Find("lanes") is null
                && new AppEdit.AddPage(9, Lanes(board)).Apply(stored.Draft, datasets) is EditResult.Done done
            )
            {
                Drafts.Replace(store, stored, done.App);
                await store.SaveChangesAsync();
            }

            return 0;
        });
        var bea = await application.AsAsync("bea");
        await bea.AllowChangesAsync(Address);
        return bea;
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
}
