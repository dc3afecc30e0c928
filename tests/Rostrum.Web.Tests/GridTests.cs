using System.Globalization;
using System.Net;
using System.Text.Json;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using Rostrum.Store;

namespace Rostrum.Web.Tests;

/// <summary>What is typed into a table is kept for its person until it is saved, and saved as far as it may be.</summary>
public sealed class GridTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Page = "/apps/maintenance/worklist";
    private const string Grid = Page + "?handler=Grid&panel=work";

    private static string Cells(params (string Row, string Field, string Text, string? Original)[] cells) =>
        JsonSerializer.Serialize(
            cells.Select(cell => new
            {
                row = cell.Row,
                field = cell.Field,
                text = cell.Text,
                original = cell.Original,
            })
        );

    private static string[] Keys(IDocument page) =>
        [.. page.QuerySelectorAll("#panel-work tbody tr[data-key]:not([data-new])").Select(row => row.GetAttribute("data-key")!)];

    private static string? Original(IDocument page, string key, string field) =>
        page.QuerySelector($"tr[data-key='{key}'] [data-cell='{field}']")!.GetAttribute("data-original") is { Length: > 0 } written
            ? written[1..]
            : null;

    [Fact]
    public async Task Cells_typed_into_at_the_same_moment_are_all_kept_and_for_their_person_alone()
    {
        var maren = await application.AsAsync("maren");
        var page = await maren.PageAsync(Page);
        var keys = Keys(page)[..8];
        await Task.WhenAll(
            keys.Select(async key =>
            {
                var cells = Cells((key, "reported_by", $"Somebody {key}", Original(page, key, "reported_by")));
                using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", cells))) { }
            })
        );
        page = await maren.PageAsync(Page);
        Assert.Equal(keys.Order(), page.QuerySelectorAll("tr.is-changed").Select(row => row.GetAttribute("data-key")!).Order());
        Assert.Contains("8 changed", page.QuerySelector("[data-grid-bar]")!.TextContent, StringComparison.Ordinal);
        Assert.Empty((await (await application.AsAsync("egil")).PageAsync(Page)).QuerySelectorAll("tr.is-changed"));

        // Step by step it is taken back; what is typed as it was is no change.
        using (await maren.PostAsync(Page, Grid, ("does", "undo"))) { }
        Assert.Equal(7, (await maren.PageAsync(Page)).QuerySelectorAll("tr.is-changed").Length);
        using (await maren.PostAsync(Page, Grid, ("does", "discard"))) { }
        var same = Cells((keys[0], "reported_by", Original(page, keys[0], "reported_by")!, Original(page, keys[0], "reported_by")));
        using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", same))) { }
        Assert.Empty((await maren.PageAsync(Page)).QuerySelectorAll("tr.is-changed"));
    }

    [Fact]
    public async Task What_may_not_be_typed_is_not_kept_and_who_may_change_nothing_has_no_cells()
    {
        var aud = await application.AsAsync("aud");
        var shown = await aud.PageAsync(Page);
        Assert.Empty(shown.QuerySelectorAll("[data-cell]"));
        using (var refused = await aud.PostAsync(Page, Grid, ("does", "add")))
        {
            Assert.Equal(HttpStatusCode.NotFound, refused.StatusCode);
        }

        var tuva = await application.AsAsync("tuva");
        var key = Keys(await tuva.PageAsync(Page))[9];
        var cells = Cells((key, "description", "not a column to type into", null), (key, "nowhere", "no field", null));
        using (await tuva.PostAsync(Page, Grid, ("does", "type"), ("cells", cells))) { }
        Assert.Empty((await tuva.PageAsync(Page)).QuerySelectorAll("tr.is-changed"));
        using var nonsense = await tuva.PostAsync(Page, Grid, ("does", "type"), ("cells", "no list"));
        Assert.Equal(HttpStatusCode.BadRequest, nonsense.StatusCode);
    }

    [Fact]
    public async Task A_set_of_which_one_row_was_changed_meanwhile_is_not_saved_until_somebody_has_chosen()
    {
        var egil = await application.AsAsync("egil");
        var page = await egil.PageAsync(Page);
        var (one, other) = (Keys(page)[12], Keys(page)[13]);
        var cells = Cells(
            (one, "reported_by", "Egil was here", Original(page, one, "reported_by")),
            (other, "reported_by", "Egil was here", Original(page, other, "reported_by"))
        );
        using (await egil.PostAsync(Page, Grid, ("does", "type"), ("cells", cells))) { }
        await SqlAsync($"UPDATE defects SET reported_by = 'Somebody quicker' WHERE id = {other}");
        using (var save = await egil.PostAsync(Page, Grid, ("does", "save")))
        {
            Assert.Contains("Not saved", await save.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        Assert.Equal(0L, await SqlAsync("SELECT count(*) FROM defects WHERE reported_by = 'Egil was here'"));
        page = await egil.PageAsync(Page);
        var conflict = page.QuerySelector($"tr[data-key='{other}'] [data-cell='reported_by']")!;
        Assert.Contains("Changed meanwhile: now Somebody quicker", conflict.TextContent, StringComparison.Ordinal);

        // Mine for one, and all of it is saved.
        var mine = Cells((other, "reported_by", "Egil was here", conflict.GetAttribute("data-now")![1..]));
        using (await egil.PostAsync(Page, Grid, ("does", "mine"), ("cells", mine))) { }
        using (await egil.PostAsync(Page, Grid, ("does", "save"))) { }
        Assert.Equal(2L, await SqlAsync("SELECT count(*) FROM defects WHERE reported_by = 'Egil was here'"));
        Assert.Empty((await egil.PageAsync(Page)).QuerySelectorAll("tr.is-changed"));
    }

    [Fact]
    public async Task What_a_colleague_saved_meanwhile_is_said_with_name_and_settled_for_all_cells_at_once()
    {
        var (egil, maren) = (await application.AsAsync("egil"), await application.AsAsync("maren"));
        var page = await egil.PageAsync(Page);
        var keys = Keys(page)[20..23];
        string Typed(string text) => Cells([.. keys.Select(key => (key, "reported_by", text, Original(page, key, "reported_by")))]);
        using (await egil.PostAsync(Page, Grid, ("does", "type"), ("cells", Typed("Egil for all")))) { }
        using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", Typed("Maren for all")))) { }
        using (var saved = await maren.PostAsync(Page, Grid, ("does", "save")))
        {
            Assert.Contains("3 defects saved.", await saved.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        for (var tries = 0; tries < 200; tries++)
        {
            page = await egil.PageAsync(Page);
            if (
                page.QuerySelectorAll(".is-conflict .meanwhile")
                    .All(cell => cell.TextContent.Contains("by Maren Vik", StringComparison.Ordinal))
            )
            {
                break;
            }

            await Task.Delay(100);
        }

        var conflicts = page.QuerySelectorAll(".is-conflict .meanwhile").Select(cell => cell.TextContent).ToArray();
        Assert.Equal(3, conflicts.Length);
        Assert.All(conflicts, text => Assert.Contains("Changed meanwhile by Maren Vik", text, StringComparison.Ordinal));
        Assert.Contains("3 cells were changed meanwhile", page.QuerySelector("[data-grid-bar]")!.TextContent, StringComparison.Ordinal);

        using (await egil.PostAsync(Page, Grid, ("does", "all-mine"))) { }
        Assert.Empty((await egil.PageAsync(Page)).QuerySelectorAll(".is-conflict"));
        using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", Typed("Maren once more")))) { }
        using (await egil.PostAsync(Page, Grid, ("does", "save"))) { }
        Assert.Equal(
            3L,
            await SqlAsync($"SELECT count(*) FROM defects WHERE id IN ({string.Join(", ", keys)}) AND reported_by = 'Egil for all'")
        );
        using (await maren.PostAsync(Page, Grid, ("does", "all-theirs"))) { }
        Assert.Empty((await maren.PageAsync(Page)).QuerySelectorAll("tr.is-changed"));
    }

    [Fact]
    public async Task A_relation_is_pasted_by_the_title_of_its_record()
    {
        var tuva = await application.AsAsync("tuva");
        var page = await tuva.PageAsync(Page);
        var (key, other) = (Keys(page)[30], Keys(page)[31]);
        var vessel = Original(page, key, "vessel");
        var (hull, name) = (
            (string?)await SqlAsync($"SELECT min(hull_number) FROM vessels WHERE hull_number <> '{vessel}'"),
            (string?)await SqlAsync($"SELECT name FROM vessels WHERE hull_number <> '{vessel}' ORDER BY hull_number LIMIT 1")
        );
        var cells = Cells(
            (key, "vessel", name!.ToLowerInvariant(), vessel),
            (other, "vessel", "Nobody's boat", Original(page, other, "vessel"))
        );
        using (await tuva.PostAsync(Page, Grid, ("does", "type"), ("cells", cells))) { }
        page = await tuva.PageAsync(Page);
        var cell = page.QuerySelector($"tr[data-key='{key}'] [data-cell='vessel']")!;
        Assert.Equal((hull, name), (cell.GetAttribute("data-text"), cell.QuerySelector("ins")!.TextContent));
        Assert.Equal("Nobody's boat", page.QuerySelector($"tr[data-key='{other}'] [data-cell='vessel'] ins")!.TextContent);
        using (await tuva.PostAsync(Page, Grid, ("does", "discard"))) { }
    }

    [Fact]
    public async Task Ten_thousand_pasted_cells_are_kept_and_what_does_not_fit_is_marked()
    {
        var egil = await application.AsAsync("egil");
        const int Rows = 2_000;
        var cells =
            from row in Enumerable.Range(0, Rows)
            from cell in new[]
            {
                ("title", $"Pasted\n{row}"),
                ("vessel", "BF-101"),
                ("severity", "minor"),
                ("due", "1 May 2027"),
                ("estimated_cost", row == 7 ? "a lot" : "1250.50"),
            }
            select ($"+{row}", cell.Item1, cell.Item2, (string?)null);
        using (var kept = await egil.PostAsync(Page, Grid, ("does", "type"), ("cells", Cells([.. cells]))))
        {
            Assert.Equal(HttpStatusCode.OK, kept.StatusCode);
            var drawn = await Visitor.ParseAsync(kept);
            Assert.Contains("2,000 new", drawn.Body!.TextContent, StringComparison.Ordinal);
            var wrong = Assert.Single(drawn.QuerySelectorAll("[data-cell='estimated_cost'].is-invalid"));
            Assert.Equal("a lot", wrong.GetAttribute("data-text"));
        }

        using (await egil.PostAsync(Page, Grid, ("does", "undo"))) { }
        Assert.Empty((await egil.PageAsync(Page)).QuerySelectorAll("tr[data-new]"));
        using (await egil.PostAsync(Page, Grid, ("does", "discard"))) { }
    }

    [Theory]
    [InlineData("1,250.50", "90", "1250.50", "90")]
    [InlineData("€ 1.250,50", "1.900", "1250.50", "1900")]
    [InlineData("1 250,5", "2,75", "1250.5", "2.75")]
    [InlineData("1,5", "12,50,1", "1.5", "12,50,1")]
    [InlineData("a lot", "1,250", "a lot", "1250")]
    public async Task Numbers_are_pasted_as_a_spreadsheet_writes_them(string one, string other, string first, string second)
    {
        var tuva = await application.AsAsync("tuva");
        var cells = Cells(("+0", "estimated_cost", one, null), ("+1", "estimated_cost", other, null));
        using (await tuva.PostAsync(Page, Grid, ("does", "type"), ("cells", cells))) { }
        var drawn = await tuva.PageAsync(Page);
        Assert.Equal(
            [first, second],
            drawn.QuerySelectorAll("tr[data-new] [data-cell='estimated_cost']").Select(cell => cell.GetAttribute("data-text")!)
        );
        Assert.Equal(
            new[] { first, second }.Count(text =>
                !decimal.TryParse(text, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out _)
            ),
            drawn.QuerySelectorAll("tr[data-new] [data-cell='estimated_cost'].is-invalid").Length
        );
        using (await tuva.PostAsync(Page, Grid, ("does", "discard"))) { }
    }

    [Fact]
    public async Task New_rows_that_are_saved_by_several_windows_at_the_same_moment_are_there_once()
    {
        const string Title = "Pressed in four windows";
        var maren = await application.AsAsync("maren");
        using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", NewDefect(Title)))) { }
        var answers = await Task.WhenAll(Enumerable.Range(0, 4).Select(_ => maren.PostAsync(Page, Grid, ("does", "save"))));
        Assert.All(answers, answer => Assert.True(answer.IsSuccessStatusCode));
        Assert.Equal(1L, await SqlAsync($"SELECT count(*) FROM defects WHERE title = '{Title}'"));
        Assert.Empty((await maren.PageAsync(Page)).QuerySelectorAll("tr[data-new]"));
    }

    // All that nodes keep at hand would be read anew by each of them, at each cell.
    [Fact]
    public async Task What_is_typed_changes_nothing_that_nodes_keep_at_hand()
    {
        var maren = await application.AsAsync("maren");
        var revision = application.Services.GetRequiredService<WorkspaceRevision>();
        async Task<bool> IsLeftAsync()
        {
            var before = revision.Number;
            using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", NewDefect("Typed at night")))) { }
            using (await maren.PostAsync(Page, Grid, ("does", "discard"))) { }
            return revision.Number == before;
        }

        // A notice of what came before, a sign-in, may still arrive.
        Assert.True(await IsLeftAsync() || await IsLeftAsync() || await IsLeftAsync());
    }

    [Theory]
    [InlineData("COMMIT", false)]
    [InlineData("ROLLBACK", true)]
    public async Task After_a_crash_in_the_middle_of_a_save_the_source_says_whether_rows_are_still_unsaved(string end, bool isLeft)
    {
        const string Title = "Cut off in the middle";
        var maren = await application.AsAsync("maren");
        using (await maren.PostAsync(Page, Grid, ("does", "type"), ("cells", NewDefect(Title)))) { }
        await using var source = NpgsqlDataSource.Create(application.FleetConnection);
        await using var connection = await source.OpenConnectionAsync();
        await SqlAsync(connection, "BEGIN");
        var transaction = (string)(await SqlAsync(connection, "SELECT pg_current_xact_id()::text"))!;
        await application.InStoreAsync(async store =>
        {
            var row = await store.UnsavedChanges.SingleAsync(row => row.Page == "worklist" && row.Panel == "work");
            row.Changes = row.Changes.SavedIn(transaction, row.Changes.Rows);
            return await store.SaveChangesAsync();
        });
        Assert.Single((await maren.PageAsync(Page)).QuerySelectorAll("tr[data-new]"));
        using (var refused = await maren.PostAsync(Page, Grid, ("does", "save")))
        {
            var said = (await Visitor.ParseAsync(refused)).QuerySelector(".toast-body")!.TextContent;
            Assert.Contains("in another window", said, StringComparison.Ordinal);
        }

        Assert.Equal(0L, await SqlAsync($"SELECT count(*) FROM defects WHERE title = '{Title}'"));
        await SqlAsync(connection, end);
        Assert.Equal(isLeft ? 1 : 0, (await maren.PageAsync(Page)).QuerySelectorAll("tr[data-new]").Length);
        using (await maren.PostAsync(Page, Grid, ("does", "discard"))) { }
    }

    // No guard looks at closed ones.
    private static string NewDefect(string title) =>
        Cells(
            ("+1", "title", title, null),
            ("+1", "vessel", "BF-101", null),
            ("+1", "severity", "minor", null),
            ("+1", "state", "closed", null),
            ("+1", "reported_by", "Maren Vik", null)
        );

    [Fact]
    public async Task Steps_of_a_workflow_take_the_place_of_the_save_once_and_what_they_refuse_is_kept()
    {
        const string Dockings = "/apps/maintenance/dockings";
        const string Plan = Dockings + "?handler=Grid&panel=dockings";
        var bea = await application.AsAsync("bea");
        var page = await bea.PageAsync(Dockings);
        string[] keys =
        [
            .. page.QuerySelectorAll("#panel-dockings tr[data-key]:not([data-new])").Select(row => row.GetAttribute("data-key")!),
        ];
        Task<HttpResponseMessage> DoAsync(string does, string cells = "", string row = "") =>
            bea.PostAsync(Dockings, Plan, ("does", does), ("cells", cells), ("row", row));
        (string, string, string, string?)[] typed =
        [
            .. keys[..3].Select(key => (key, "yard", "Skarn yard", Original(page, key, "yard"))),
            ("+1", "vessel", "BF-101", null),
            ("+1", "yard", "Skarn yard", null),
            ("+1", "planned_start", "1 May 2027", null),
            ("+1", "planned_end", "9 May 2027", null),
            ("+1", "budget", "120000", null),
        ];
        const string Free = "SELECT max(id) FROM dockings one WHERE NOT EXISTS (SELECT FROM dockings WHERE after_docking = one.id)";
        var free = Convert.ToString(await SqlAsync(Free), CultureInfo.InvariantCulture)!;
        using (await DoAsync("type", Cells(typed))) { }
        using (await DoAsync("delete", row: free)) { }
        using (var refused = await DoAsync("save"))
        {
            var said = (await Visitor.ParseAsync(refused)).QuerySelector(".toast-body")!.TextContent;
            Assert.Equal("Not saved: A docking is not deleted from the plan. What was typed is kept.", said);
        }

        Assert.Equal(0L, await SqlAsync("SELECT count(*) FROM dockings WHERE yard = 'Skarn yard'"));
        Assert.Equal(3, (await bea.PageAsync(Dockings)).QuerySelectorAll("tr.is-changed").Length);

        // What the gate would not save is not handed over.
        using (await DoAsync("restore", row: free)) { }
        await SqlAsync($"UPDATE dockings SET yard = 'Meanwhile yard' WHERE id = {keys[0]}");
        using (var refused = await DoAsync("save"))
        {
            Assert.Contains("1 row is refused", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        // Pressed twice it is saved once, whichever comes first; the other says so.
        using (await DoAsync("all-mine")) { }
        var both = await Task.WhenAll(DoAsync("save"), DoAsync("save"));
        var words = await Task.WhenAll(
            both.Select(async answer => (await Visitor.ParseAsync(answer)).QuerySelector(".toast-body")!.TextContent)
        );
        const string Second = "Nothing was unsaved|saved by another press|was saved meanwhile";
        Assert.Contains("Planned: 3 changed, 1 new.", words);
        Assert.All(words, text => Assert.Matches("Planned: 3 changed, 1 new|" + Second, text));
        Assert.Equal(4L, await SqlAsync("SELECT count(*) FROM dockings WHERE yard = 'Skarn yard'"));
        page = await bea.PageAsync(Dockings);
        Assert.Empty(page.QuerySelectorAll("tr.is-changed, tr[data-new]"));
        var told = await application.InStoreAsync(store =>
            store.InboxItems.Where(item => item.Title == "Dockings are planned anew").ToListAsync()
        );
        Assert.Single(told.GroupBy(item => item.Text));
        Assert.Equal(told.Count, told.Select(item => item.PersonId).Distinct().Count());
    }

    private static async Task<object?> SqlAsync(NpgsqlConnection connection, string sql)
    {
        await using var command = new NpgsqlCommand(sql, connection);
        return await command.ExecuteScalarAsync();
    }

    private async Task<object?> SqlAsync(string sql)
    {
        await using var source = NpgsqlDataSource.Create(application.FleetConnection);
        await using var command = source.CreateCommand(sql);
        return await command.ExecuteScalarAsync();
    }
}
