using System.Globalization;
using AngleSharp.Dom;
using Microsoft.EntityFrameworkCore;
using Npgsql;
using Rostrum.Store;
using Rostrum.Web.Bulk;

namespace Rostrum.Web.Tests;

/// <summary>A change of all records that match: what is shown before, how it goes on, what it leaves, and how it is taken back.</summary>
public sealed class BulkChangeTests(DemoApplication application) : IClassFixture<DemoApplication>
{
    private const string Logs = "/apps/maintenance/fuel_logs";

    private static string Bulk(string does, string filter = "") => $"{Logs}?{filter}handler=Bulk&panel=fuel_logs&all=yes&does={does}";

    private static async Task<IDocument> AskAsync(Visitor visitor, string address, params (string, string)[] form) =>
        await Visitor.ParseAsync(await visitor.PostAsync(Logs, address, form));

    private static long Begun(IDocument answer) =>
        long.Parse(
            answer.QuerySelector("a[href^='/bulk/']")!.GetAttribute("href")!["/bulk/".Length..],
            NumberStyles.None,
            CultureInfo.InvariantCulture
        );

    private Task<string> DumpAsync() => application.FleetScalarAsync("SELECT md5(string_agg(f::text, '|' ORDER BY id)) FROM fuel_logs f");

    private Task<string> CountAsync(string condition) =>
        application.FleetScalarAsync($"SELECT count(*)::text FROM fuel_logs WHERE {condition}");

    [Fact]
    public async Task All_that_match_are_changed_by_a_formula_and_taken_back_as_one()
    {
        var clem = await application.AsAsync("clem");
        var before = await DumpAsync();
        var matching = int.Parse(await CountAsync("vessel IN ('BF-101', 'BF-102')"), CultureInfo.InvariantCulture);
        Assert.True(matching > BulkChanges.InPart, $"{matching} match");
        (string, string)[] set = [("set.litres", "yes"), ("v.litres", "= litres + 1")];
        var address = Bulk("change", "fuel_logs.is.vessel=BF-101&fuel_logs.is.vessel=BF-102&");

        var preview = await AskAsync(clem, address, [("step", "preview"), .. set]);
        Assert.True(preview.QuerySelector("button[value=begin]") is not null, preview.Body!.TextContent);
        Assert.Contains($"Change {matching}", preview.QuerySelector("button[value=begin]")!.TextContent, StringComparison.Ordinal);
        Assert.NotEmpty(preview.QuerySelectorAll(".before-after ins"));
        Assert.Equal(before, await DumpAsync());

        var request = ("request", preview.QuerySelector("[name=request]")!.GetAttribute("value")!);
        var wrong = await AskAsync(clem, address, ("step", "preview"), ("set.litres", "yes"), ("v.litres", "= \"much\""));
        Assert.Contains("does not fit here", wrong.Body!.TextContent, StringComparison.Ordinal);

        var begun = Begun(await AskAsync(clem, address, [("step", "begin"), request, .. set]));
        var done = await application.BulkEndAsync(begun);
        Assert.Equal(begun, Begun(await AskAsync(clem, address, [("step", "begin"), request, .. set])));
        Assert.Equal((BulkStatus.Done, matching, 0, null), (done.Status, done.Done, done.Refused, done.Problem));
        Assert.NotEqual(before, await DumpAsync());
        var said = await clem.PageAsync($"{Logs}?handler=BulkProgress&bulk={begun}");
        Assert.Contains($"{matching} ", said.QuerySelector("[data-message] span")!.TextContent, StringComparison.Ordinal);
        Assert.Contains("Undo", said.QuerySelector("[data-message]")!.TextContent, StringComparison.Ordinal);

        // One of them is changed by somebody else: that one stays, and is named.
        var one = await application.FleetScalarAsync("SELECT min(id::text) FROM fuel_logs WHERE vessel = 'BF-101'");
        await application.FleetAsync($"UPDATE fuel_logs SET litres = 7 WHERE id = '{one}'");
        var undo = Begun(await AskAsync(clem, $"{Logs}?handler=BulkUndo&bulk={begun}"));
        var undone = await application.BulkEndAsync(undo);
        Assert.Equal((BulkStatus.Done, matching - 1, 1), (undone.Status, undone.Done, undone.Refused));
        Assert.Equal("7", await application.FleetScalarAsync($"SELECT trunc(litres)::text FROM fuel_logs WHERE id = '{one}'"));
        var page = await clem.PageAsync($"/bulk/{undo}");
        Assert.Contains("was changed meanwhile", page.QuerySelector("table.records")!.TextContent, StringComparison.Ordinal);

        // A second press finds the undo that there is, and nobody else finds either.
        Assert.Equal(undo, Begun(await AskAsync(clem, $"{Logs}?handler=BulkUndo&bulk={begun}")));
        var egil = await application.AsAsync("egil");
        Assert.Equal(System.Net.HttpStatusCode.NotFound, await egil.StatusAsync($"/bulk/{undo}"));
    }

    [Fact]
    public async Task What_a_field_cannot_hold_is_said_of_its_record_and_the_others_are_changed()
    {
        var maren = await application.AsAsync("maren");
        const string Page = "/apps/maintenance/dockings";
        const string Address = Page + "?handler=Bulk&panel=dockings&all=yes&does=change";
        (string, string)[] set = [("set.percent_done", "yes"), ("v.percent_done", "= percent_done / 7")];
        async Task<IDocument> SentAsync(string step) =>
            await Visitor.ParseAsync(await maren.PostAsync(Page, Address, [("step", step), .. set]));
        var fitting = await application.FleetScalarAsync("SELECT count(*)::text FROM dockings WHERE percent_done % 7 = 0");
        var preview = await SentAsync("preview");
        Assert.Contains(
            "cannot hold what the formula gives",
            preview.QuerySelector(".bulk-preview .problem")!.TextContent,
            StringComparison.Ordinal
        );

        // All of them can be tried beforehand, and nothing is written by it.
        const string Dump = "SELECT md5(string_agg(d::text, '|' ORDER BY id)) FROM dockings d";
        var before = await application.FleetScalarAsync(Dump);
        var check = await application.BulkEndAsync(Begun(await SentAsync("check")));
        Assert.Equal((BulkStatus.Done, fitting, true), (check.Status, $"{check.Done}", check.IsTried));
        Assert.Equal(before, await application.FleetScalarAsync(Dump));
        var said = await maren.PageAsync($"{Page}?handler=BulkProgress&bulk={check.Id}");
        Assert.Contains(
            $"{check.Records} dockings checked: {check.Refused} dockings cannot be changed.",
            said.Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.DoesNotContain("Undo", said.QuerySelector("[data-message]")!.TextContent, StringComparison.Ordinal);
        Assert.Contains("cannot hold", (await maren.PageAsync($"/bulk/{check.Id}")).Body!.TextContent, StringComparison.Ordinal);

        var done = await application.BulkEndAsync(Begun(await SentAsync("begin")));
        Assert.Equal((BulkStatus.Done, fitting, done.Records - done.Done), (done.Status, $"{done.Done}", done.Refused));
        Assert.True(done.Refused > 0);
    }

    [Fact]
    public async Task A_change_of_many_is_taken_back_from_the_logbook_of_one_of_its_records()
    {
        var clem = await application.AsAsync("clem");
        var before = await DumpAsync();
        var address = Bulk("change", "fuel_logs.is.vessel=BF-103&fuel_logs.is.vessel=BF-104&");
        var done = await application.BulkEndAsync(
            Begun(await AskAsync(clem, address, ("step", "begin"), ("set.litres", "yes"), ("v.litres", "12.5")))
        );
        Assert.True(done.Done > BulkChanges.InPart);
        var dataset = done.DatasetId;
        var key = await application.FleetScalarAsync("SELECT min(id::text) FROM fuel_logs WHERE vessel = 'BF-103'");
        var logbook = $"/logbook?dataset={dataset}&record={key}";
        IElement? entry = null;
        for (var tries = 0; tries < 100 && entry is null; tries++)
        {
            entry = (await clem.PageAsync(logbook)).QuerySelector(".log-entry");
            await Task.Delay(100);
        }

        Assert.Contains($"Undo all {done.Done:#,##0}", entry!.TextContent, StringComparison.Ordinal);
        using var undone = await clem.PostAsync("/account", $"{logbook}&handler=UndoTogether&id={entry.Id![4..]}");
        var undo = await application.BulkEndAsync(
            long.Parse(undone.Headers.GetValues("HX-Redirect").Single()["/bulk/".Length..], CultureInfo.InvariantCulture)
        );
        Assert.Equal((BulkStatus.Done, done.Done, 0), (undo.Status, undo.Done, undo.Refused));
        Assert.Equal(before, await DumpAsync());
    }

    [Fact]
    public async Task A_part_that_was_under_way_when_a_node_was_lost_is_made_once()
    {
        await application.AsAsync("clem");
        var person = (await application.Services.GetWorkspaceAsync())
            .People.First(known => known.Value.Name.StartsWith("Clem", StringComparison.Ordinal))
            .Key;
        var dataset = await application.InStoreAsync(async store =>
            (await store.DatasetsAsync(default)).All.Single(known => known.Name.Value == "fuel_logs")
        );
        var keys = (
            await application.FleetScalarAsync(
                "SELECT string_agg(id::text, ' ') FROM (SELECT id FROM fuel_logs ORDER BY id DESC LIMIT 2) k"
            )
        ).Split(' ');

        // One transaction came to its end before its node could say so; the other did not.
        var (kept, lost) = (await TransactionAsync(keys[0], commit: true), await TransactionAsync(keys[1], commit: false));
        var watched = await application.InStoreAsync(async store =>
        {
            var bulk = new BulkChange
            {
                PersonId = person,
                DatasetId = dataset.Id.Value,
                Via = "a test",
                Work = BulkWork.Change,
                Values = """{"litres": "=litres + 1000"}""",
                Records = 2,
                At = DateTimeOffset.UtcNow,
                Status = BulkStatus.Stopped,
            };
            store.BulkChanges.Add(bulk);
            await store.SaveChangesAsync();
            foreach (var (key, transaction, at) in new[] { (keys[0], kept, 0), (keys[1], lost, 1) })
            {
                store.BulkParts.Add(
                    new BulkPart
                    {
                        BulkId = bulk.Id,
                        Number = at,
                        Records = $"[[\"{key}\", \"?\"]]",
                        Saved = 999_990 + at,
                        Transaction = transaction,
                        Done = 1,
                    }
                );
            }

            bulk.Status = BulkStatus.Running;
            await store.SaveChangesAsync();
            return bulk.Id;
        });
        var end = await application.BulkEndAsync(watched);

        // The first was kept and counts; of the second the record is not as it was looked at, which only one who makes it notices.
        Assert.Equal((BulkStatus.Done, 1, 1), (end.Status, end.Done, end.Refused));
        Assert.Equal("1", await CountAsync($"id = '{keys[0]}' AND litres = 11"));
        Assert.Equal("0", await CountAsync($"id = '{keys[1]}' AND litres = 11"));
    }

    private async Task<string> TransactionAsync(string key, bool commit)
    {
        await using var connection = new NpgsqlConnection(application.FleetConnection);
        await connection.OpenAsync();
        await using var transaction = await connection.BeginTransactionAsync();
        await using var command = new NpgsqlCommand(
            $"UPDATE fuel_logs SET litres = 11 WHERE id = '{key}'; SELECT pg_current_xact_id()::text",
            connection,
            transaction
        );
        var name = "";
        await using (var reader = await command.ExecuteReaderAsync())
        {
            do
            {
                while (await reader.ReadAsync())
                {
                    name = reader.GetString(0);
                }
            } while (await reader.NextResultAsync());
        }

        await (commit ? transaction.CommitAsync() : transaction.RollbackAsync());
        return name;
    }
}
