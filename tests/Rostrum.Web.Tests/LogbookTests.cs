using System.Collections.Frozen;
using System.Collections.Immutable;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.StandIns.Dues;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;
using Rostrum.Web.Logbook;
using Rostrum.Web.Workflows.Running;
using static Rostrum.Web.Tests.WorkflowSpace;

namespace Rostrum.Web.Tests;

/// <summary>Everything that is saved stands in the logbook, may be undone from there, and cannot be altered unnoticed.</summary>
public sealed class LogbookTests(WorkflowSpace space) : IClassFixture<WorkflowSpace>
{
    private static readonly FieldName Severity = new("severity");
    private static readonly FieldName Title = new("title");

    private async Task<(DatasetId Defects, RecordKey Key)> DefectAsync(string title)
    {
        var defects = await space.DatasetAsync("defects");
        var saved = Saved(await space.SaveAsync(defects, new Change.Insert(Defect(title))));
        return (defects, saved.Changes[0].Key!);
    }

    private static SaveResult.Saved Saved(SaveResult result) =>
        result as SaveResult.Saved
        ?? throw new InvalidOperationException(
            result is SaveResult.Invalid invalid ? string.Join(" ", invalid.Problems.Select(problem => problem.Message)) : $"{result}"
        );

    private async Task ChangeAsync(DatasetId defects, RecordKey key, FieldName field, object? before, object? after) =>
        Saved(
            await space.SaveAsync(
                defects,
                new Change.Update(
                    key,
                    new FieldValues([KeyValuePair.Create(field, before)]),
                    new FieldValues([KeyValuePair.Create(field, after)])
                )
            )
        );

    private async Task<List<LogEntry>> EntriesAsync(DatasetId dataset, RecordKey key, int count)
    {
        for (var tries = 0; tries < 200; tries++)
        {
            var text = $"{key.Values[0]}";
            var entries = await space.InStoreAsync(store =>
                store
                    .LogEntries.AsNoTracking()
                    .Where(entry => entry.DatasetId == dataset.Value && entry.Key == text)
                    .OrderBy(entry => entry.Id)
                    .ToListAsync()
            );
            if (entries.Count >= count)
            {
                return entries;
            }

            await Task.Delay(50);
        }

        throw new InvalidOperationException("the entry never came");
    }

    // A file beside the fleet's database, in which payments go with their bill.
    private async Task<Workspace> WithDuesAsync()
    {
        const string Name = "Dues of the logbook";
        var workspaces = space.Services.GetRequiredService<WorkspaceCache>();
        if (await space.InStoreAsync(store => store.Sources.AnyAsync(source => source.Name == Name)))
        {
            return await workspaces.GetAsync(CancellationToken.None);
        }

        await DuesLoader.LoadAsync(Path.Combine(space.Files, "logbook.db"), new DateOnly(2026, 3, 14), CancellationToken.None);
        await using var scope = space.Services.CreateAsyncScope();
        var settings = new SourceSettings("", 0, "logbook.db", "", "", Encrypted: false) { Kind = "sqlite" };
        Assert.Null((await scope.ServiceProvider.GetRequiredService<SourceSetUp>().ConnectAsync(Name, settings, default)).Refusal);
        return await workspaces.GetAsync(CancellationToken.None);
    }

    private static string Address(DatasetId dataset, RecordKey key) => $"/logbook?dataset={dataset}&record={key.Values[0]}";

    [Fact]
    public async Task Who_changed_what_is_read_by_whoever_sees_the_record_and_each_reads_the_fields_that_are_theirs()
    {
        var (defects, key) = await DefectAsync("A lamp to log");
        await ChangeAsync(defects, key, Severity, "minor", "serious");
        await ChangeAsync(defects, key, new FieldName("estimated_cost"), null, 4_200m);
        var entries = await EntriesAsync(defects, key, 3);
        Assert.Equal(["added", "changed", "changed"], entries.Select(entry => entry.Kind));
        Assert.All(entries, entry => Assert.Equal("Maren Vik", entry.PersonName));

        var maren = (await (await space.AsAsync("maren")).PageAsync(Address(defects, key))).Body!.TextContent;
        Assert.Contains("Kittiwake", maren, StringComparison.Ordinal);
        Assert.Matches("Severity.*minor.*serious", maren.ReplaceLineEndings(" "));
        Assert.Contains("4,200", maren, StringComparison.Ordinal);

        // Whoever sees no costs does not read of them there either.
        var workspace = await space.Services.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None);
        var everything = new FieldSet.But([new FieldName("estimated_cost")]);
        var grants = Grants.Of(
            FrozenSet.Create("guest"),
            [new Policy("guest", defects, Verbs.View, new Filter.Everything(), everything, everything)]
        );
        await using var scope = space.Services.CreateAsyncScope();
        var (changes, _) = await scope
            .ServiceProvider.GetRequiredService<RecordLogbook>()
            .ReadAsync(workspace.Datasets.Find(defects)!, $"{key.Values[0]}", null, grants, CancellationToken.None);
        Assert.Equal(["changed", "added"], changes.Select(change => change.Kind));
        Assert.Equal(
            ("Severity", "minor", "serious"),
            Assert.Single(changes[0].Lines) is var line ? (line.Label, line.Before, line.After) : default
        );
    }

    [Fact]
    public async Task A_change_is_undone_from_there_and_what_was_changed_since_is_named_before_it_is_overwritten()
    {
        var (defects, key) = await DefectAsync("A lamp to undo");
        await ChangeAsync(defects, key, Severity, "minor", "serious");
        await ChangeAsync(defects, key, Title, "A lamp to undo", "A lamp to undo, still");
        var first = (await EntriesAsync(defects, key, 3))[1];
        var (maren, page) = (await space.AsAsync("maren"), Address(defects, key));
        async Task<string> UndoAsync(long id, string more = "")
        {
            using var answer = await maren.PostAsync("/account", $"{page}&handler=Undo&id={id}{more}");
            return await answer.Content.ReadAsStringAsync();
        }

        // Another field was changed since: nothing stands in the way.
        await UndoAsync(first.Id);
        var entries = await EntriesAsync(defects, key, 4);
        Assert.Contains("\"serious\",\"minor\"", entries[3].Fields, StringComparison.Ordinal);

        // The same field was: that is said, and done when it is asked for once more.
        var renamed = entries[2];
        await ChangeAsync(defects, key, Title, "A lamp to undo, still", "Somebody else’s");
        await EntriesAsync(defects, key, 5);
        var refused = await UndoAsync(renamed.Id);
        Assert.Contains("changed since", refused, StringComparison.Ordinal);
        Assert.Contains("Somebody else’s", System.Net.WebUtility.HtmlDecode(refused), StringComparison.Ordinal);
        Assert.Equal(5, (await EntriesAsync(defects, key, 5)).Count);
        await UndoAsync(renamed.Id, "&overwrites=true");
        Assert.Contains("A lamp to undo\"]", (await EntriesAsync(defects, key, 6))[5].Fields, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_was_saved_in_one_go_is_undone_as_one_and_owners_read_of_all_changes_without_values()
    {
        var (defects, one) = await DefectAsync("A lamp of two, the first");
        var (_, other) = await DefectAsync("A lamp of two, the second");
        var workspace = await space.Services.GetRequiredService<WorkspaceCache>().GetAsync(CancellationToken.None);
        var (_, maren) = workspace.People.First(known => known.Value.Name == "Maren Vik");
        Change Serious(RecordKey key) =>
            new Change.Update(
                key,
                new FieldValues([KeyValuePair.Create(Severity, (object?)"minor")]),
                new FieldValues([KeyValuePair.Create(Severity, (object?)"serious")])
            );
        Saved(
            await space
                .Services.GetRequiredService<RecordGate>()
                .SaveAsync(
                    workspace.Datasets,
                    new ChangeSet(defects, [Serious(one), Serious(other)]),
                    workspace.GrantsOf(new HashSet<string> { "superintendent" }, maren.AsUser),
                    CancellationToken.None
                )
        );
        var entry = (await EntriesAsync(defects, one, 2))[1];
        var (session, page) = (await space.AsAsync("maren"), Address(defects, one));
        Assert.Contains("Undo all 2", (await session.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
        using (await session.PostAsync("/account", $"{page}&handler=UndoTogether&id={entry.Id}")) { }
        Assert.EndsWith("[\"serious\",\"minor\"]}", (await EntriesAsync(defects, one, 3))[2].Fields, StringComparison.Ordinal);
        Assert.EndsWith("[\"serious\",\"minor\"]}", (await EntriesAsync(defects, other, 3))[2].Fields, StringComparison.Ordinal);

        var audit = (await (await space.AsAsync("oskar")).PageAsync("/people/audit/changes?q=lamp+of+two")).Body!.TextContent;
        Assert.Contains("A lamp of two, the second", audit, StringComparison.Ordinal);
        Assert.Contains("Severity", audit, StringComparison.Ordinal);
        Assert.DoesNotContain("serious", audit, StringComparison.Ordinal);
        Assert.NotEqual(System.Net.HttpStatusCode.OK, await session.StatusAsync("/people/audit/changes"));
    }

    [Fact]
    public async Task What_one_run_saved_in_several_datasets_is_undone_as_one()
    {
        var workspace = await WithDuesAsync();
        var (gate, all) = (space.Services.GetRequiredService<RecordGate>(), Grants.Everywhere(Grant.Everything));
        var (defects, lamp) = await DefectAsync("A lamp of two datasets");
        var bills = workspace.Datasets.All.Single(dataset => dataset.Name.Value == "bills");
        var bill = RecordKey.Parse(bills, "2")!;
        async Task<object?> RemarkAsync() =>
            (
                (ReadResult.Rows)
                    await gate.ReadAsync(
                        workspace.Datasets,
                        ReadRequest.Of(bills, bill) with
                        {
                            Fields = [new FieldName("remark")],
                        },
                        all,
                        CancellationToken.None
                    )
            ).Records[0][new FieldName("remark")];
        Change Renamed(RecordKey key, string field, object? before, object? after) =>
            new Change.Update(
                key,
                new FieldValues([KeyValuePair.Create(new FieldName(field), before)]),
                new FieldValues([KeyValuePair.Create(new FieldName(field), after)])
            );
        var before = await RemarkAsync();
        using (RunAmbient.Begin(new RunAmbient(null, "a run", 0) { Id = 4_711 }))
        {
            foreach (
                var set in new[]
                {
                    new ChangeSet(defects, [Renamed(lamp, "severity", "minor", "serious")]),
                    new ChangeSet(bills.Id, [Renamed(bill, "remark", before, "Paid for the lamp.")]),
                }
            )
            {
                Saved(await gate.SaveAsync(workspace.Datasets, set, all, CancellationToken.None));
            }
        }

        var entry = (await EntriesAsync(bills.Id, bill, 1))[^1];
        await using var scope = space.Services.CreateAsyncScope();
        var logbook = scope.ServiceProvider.GetRequiredService<RecordLogbook>();
        Assert.Equal(2, (await logbook.ReadAsync(bills, "2", null, all, CancellationToken.None)).Changes[0].Together);

        // Whoever may not take back one of them takes back none.
        var clerk = Grants.Of(ImmutableHashSet.Create("clerk"), [Policy.On("clerk", bills.Id, Verbs.All)]);
        Assert.IsType<SaveResult.Denied>(await logbook.UndoTogetherAsync(entry.Id, clerk, CancellationToken.None));
        Assert.Equal("Paid for the lamp.", await RemarkAsync());
        Assert.Equal(2, Saved((await logbook.UndoTogetherAsync(entry.Id, all, CancellationToken.None))!).Changes.Length);
        Assert.Equal(before, await RemarkAsync());
        Assert.EndsWith("[\"serious\",\"minor\"]}", (await EntriesAsync(defects, lamp, 3))[^1].Fields, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_the_database_deleted_along_stands_in_the_logbook_and_comes_back_with_the_record()
    {
        var workspace = await WithDuesAsync();
        var (gate, all) = (space.Services.GetRequiredService<RecordGate>(), Grants.Everywhere(Grant.Everything));
        var bills = workspace.Datasets.All.Single(dataset => dataset.Name.Value == "bills");
        var payments = workspace.Datasets.All.Single(dataset => dataset.Name.Value == "payments");
        async Task<ImmutableArray<string>> PaymentsAsync() =>
            [
                .. (
                    (ReadResult.Rows)
                        await gate.ReadAsync(
                            workspace.Datasets,
                            new ReadRequest(payments.Id)
                            {
                                Fields = [.. payments.Fields.Select(field => field.Name)],
                                Sort = [new SortBy(payments.Key[0])],
                            },
                            all,
                            CancellationToken.None
                        )
                ).Records.Select(record => string.Join('|', payments.Fields.Select(field => record[field.Name]))),
            ];
        var before = await PaymentsAsync();
        var paid = before[0].Split('|')[payments.Fields.ToList().FindIndex(field => field.Name.Value == "bill_id")];
        var key = RecordKey.Parse(bills, paid)!;
        Saved(
            await gate.SaveAsync(
                workspace.Datasets,
                new ChangeSet(bills.Id, [new Change.Delete(key, FieldValues.None)]),
                all,
                CancellationToken.None
            )
        );
        var gone = before.Except(await PaymentsAsync()).ToArray();
        Assert.NotEmpty(gone);
        var entry = (await EntriesAsync(bills.Id, key, 1))[^1];
        Assert.Equal("deleted", (await EntriesAsync(payments.Id, RecordKey.Parse(payments, gone[0].Split('|')[0])!, 1))[^1].Kind);

        await using var scope = space.Services.CreateAsyncScope();
        var logbook = scope.ServiceProvider.GetRequiredService<RecordLogbook>();
        Saved((await logbook.UndoTogetherAsync(entry.Id, all, CancellationToken.None))!);
        var after = await PaymentsAsync();
        Assert.Equal(([], []), (before.Except(after).ToArray(), after.Except(before).ToArray()));
        Assert.IsNotType<SaveResult.Saved>(await logbook.UndoAsync(entry.Id, false, all, CancellationToken.None));
    }

    [Fact]
    public async Task A_change_of_a_field_that_is_gone_is_not_undone_and_one_of_another_field_is()
    {
        var (defects, key) = await DefectAsync("A lamp whose table is changed");
        await ChangeAsync(defects, key, new FieldName("description"), null, "Somebody");
        await ChangeAsync(defects, key, Severity, "minor", "serious");
        var entries = await EntriesAsync(defects, key, 3);
        var whole = (await space.Services.GetRequiredService<WorkspaceCache>().GetAsync(default)).Datasets.Find(defects)!;
        Task<int> WithAsync(Dataset dataset) =>
            space.InStoreAsync(async store =>
            {
                (await store.Datasets.SingleAsync(row => row.Id == defects.Value)).Definition = dataset;
                return await store.SaveChangesAsync();
            });
        await WithAsync(whole with { Fields = whole.Fields.RemoveAll(field => field.Name == new FieldName("description")) });
        try
        {
            await using var scope = space.Services.CreateAsyncScope();
            var (logbook, all) = (scope.ServiceProvider.GetRequiredService<RecordLogbook>(), Grants.Everywhere(Grant.Everything));
            var lost = await logbook.UndoAsync(entries[1].Id, false, all, CancellationToken.None);
            Assert.Equal("It cannot be undone any more: the structure has changed since.", RecordLogbook.Because(whole, lost));
            Saved((await logbook.UndoAsync(entries[2].Id, false, all, CancellationToken.None))!);
        }
        finally
        {
            await WithAsync(whole);
        }

        Assert.Equal(
            "Somebody minor",
            await space.FleetScalarAsync($"SELECT description || ' ' || severity FROM defects WHERE id = {key.Values[0]}")
        );
    }

    [Fact]
    public async Task A_logbook_of_many_changes_goes_on_and_an_old_one_is_undone_as_well()
    {
        var (defects, key) = await DefectAsync("A lamp with a long history");
        var cost = new FieldName("actual_cost");
        await ChangeAsync(defects, key, Severity, "minor", "serious");
        for (var times = 1; times <= 22; times++)
        {
            await ChangeAsync(defects, key, cost, times == 1 ? null : (decimal)(times - 1), (decimal)times);
        }

        var entries = await EntriesAsync(defects, key, 24);
        var (maren, page) = (await space.AsAsync("maren"), Address(defects, key));
        Assert.Contains("Older", (await maren.PageAsync(page)).Body!.TextContent, StringComparison.Ordinal);
        var older = (await maren.PageAsync($"{page}&before={entries[4].Id}")).Body!.TextContent;
        Assert.Contains("serious", older, StringComparison.Ordinal);
        using (await maren.PostAsync("/account", $"{page}&handler=Undo&id={entries[1].Id}")) { }
        Assert.EndsWith("[\"serious\",\"minor\"]}", (await EntriesAsync(defects, key, 25))[24].Fields, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Nobody_reads_the_logbook_of_a_record_that_they_do_not_see()
    {
        var sailings = await space.DatasetAsync("sailings");
        await using var source = NpgsqlDataSource.Create(space.FleetConnection);
        async Task<string> KeyAsync(string condition)
        {
            await using var command = source.CreateCommand(
                $"SELECT s.id::text FROM sailings s JOIN routes r ON r.code = s.route_code WHERE {condition} LIMIT 1"
            );
            return (string)(await command.ExecuteScalarAsync())!;
        }

        // A port agent sees the sailings of the own port alone.
        var (own, other) = (await KeyAsync("r.origin_port = 'BRW'"), await KeyAsync("'BRW' NOT IN (r.origin_port, r.destination_port)"));
        var pia = await space.AsAsync("pia");
        string Logbook(string key) => $"/logbook?dataset={sailings.Value}&record={key}";
        Assert.Equal(System.Net.HttpStatusCode.OK, await pia.StatusAsync(Logbook(own)));
        Assert.Equal(System.Net.HttpStatusCode.NotFound, await pia.StatusAsync(Logbook(other)));
    }

    [Fact]
    public async Task The_logbook_of_all_records_is_narrowed_and_brings_a_deleted_one_back()
    {
        var (defects, key) = await DefectAsync("A lamp to be deleted");
        await ChangeAsync(defects, key, Severity, "minor", "serious");
        Saved(await space.SaveAsync(defects, new Change.Delete(key, FieldValues.None)));
        var entries = await EntriesAsync(defects, key, 3);
        var maren = await space.AsAsync("maren");
        var all = $"/logbook/all?dataset={defects.Value}";
        async Task<string[]> IdsAsync(string filter) =>
            [.. (await maren.PageAsync(all + filter)).QuerySelectorAll(".log-entry").Select(entry => entry.Id![4..])];
        string[] of = [.. entries.Select(entry => $"{entry.Id}").Reverse()];
        Assert.Equal(of, await IdsAsync("&title=lamp to be deleted"));
        Assert.Equal([of[0]], await IdsAsync("&title=lamp to be deleted&kind=deleted"));
        Assert.Equal([of[1]], await IdsAsync("&title=lamp to be deleted&kind=changed&field=severity&by=a"));
        Assert.Empty(await IdsAsync("&title=lamp to be deleted&from=2 Jan 2099"));
        Assert.Empty(await IdsAsync("&by=Nobody at all"));

        using (await maren.PostAsync("/account", $"{all}&handler=Undo&id={of[0]}")) { }
        await EntriesAsync(defects, key, 4);
        await using var source = NpgsqlDataSource.Create(space.FleetConnection);
        await using var command = source.CreateCommand($"SELECT title FROM defects WHERE id = {key.Values[0]}");
        Assert.Equal("A lamp to be deleted", await command.ExecuteScalarAsync());

        // Whoever may not see all defects is not told of those that are gone; whoever may see none finds no logbook.
        var pia = await space.AsAsync("pia");
        Assert.Equal(System.Net.HttpStatusCode.NotFound, await pia.StatusAsync(all));
    }

    [Fact]
    public async Task What_was_changed_past_rostrum_is_said()
    {
        var (defects, key) = await DefectAsync("A lamp changed elsewhere");
        await using (var source = NpgsqlDataSource.Create(space.FleetConnection))
        {
            await using var command = source.CreateCommand($"UPDATE defects SET title = 'Named elsewhere' WHERE id = {key.Values[0]}");
            await command.ExecuteNonQueryAsync();
        }

        await EntriesAsync(defects, key, 1);
        Assert.Contains(
            "Changed elsewhere since",
            (await (await space.AsAsync("maren")).PageAsync(Address(defects, key))).Body!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Months_that_are_over_for_longer_than_it_is_kept_are_removed_and_the_chain_holds_from_there()
    {
        var (defects, key) = await DefectAsync("A lamp of today");
        await EntriesAsync(defects, key, 1);
        await space.InStoreAsync(async store =>
        {
            await store.Database.ExecuteSqlRawAsync("SELECT add_log_month('2020-05-01')");
            return await store.Database.ExecuteSqlRawAsync(
                "INSERT INTO log_entries (id, at, dataset_id, key, title, kind, fields, inverse, person_id, person_name, via, batch, "
                    + "before, digest) SELECT -1, '2020-05-05Z', dataset_id, key, 'Long ago', kind, fields, inverse, "
                    + "person_id, person_name, via, batch, before, digest FROM log_entries LIMIT 1"
            );
        });
        Task<int> OldAsync() => space.InStoreAsync(store => store.LogEntries.CountAsync(entry => entry.Title == "Long ago"));
        Task<int> ClearAsync() => space.InStoreAsync(store => RecordLog.ClearAsync(store, DateTimeOffset.UtcNow, default));
        Assert.Equal((0, 1), (await ClearAsync(), await OldAsync()));

        var oskar = await space.AsAsync("oskar");
        const string Page = "/people/audit/changes";
        using (var refused = await oskar.PostAsync(Page, $"{Page}?handler=Keep", ("months", "1")))
        {
            Assert.Equal(System.Net.HttpStatusCode.BadRequest, refused.StatusCode);
        }

        using (await oskar.PostAsync(Page, $"{Page}?handler=Keep", ("months", "24"))) { }
        Assert.Equal((1, 0), (await ClearAsync(), await OldAsync()));
        Assert.Null((await space.InStoreAsync(store => RecordLog.VerifyAsync(store, default))).Breaks);
        Assert.NotEmpty(await EntriesAsync(defects, key, 1));
        Assert.Contains("Is kept for 24 months.", (await oskar.PageAsync("/people/audit")).Body!.TextContent, StringComparison.Ordinal);
        using (await oskar.PostAsync(Page, $"{Page}?handler=Keep", ("months", ""))) { }
    }

    [Fact]
    public async Task Owners_take_what_the_audit_shows_away_as_a_file_and_that_stands_in_it()
    {
        var (defects, key) = await DefectAsync("=A lamp, for the file");
        await EntriesAsync(defects, key, 1);
        var oskar = await space.AsAsync("oskar");
        var file = await oskar.Client.GetStringAsync($"/people/audit/changes?q={Uri.EscapeDataString("for the file")}&handler=Download");
        var lines = file.TrimStart('\uFEFF').Split("\r\n", StringSplitOptions.RemoveEmptyEntries);
        Assert.Equal("When,Who,What,Record,Fields,Through", lines[0]);
        Assert.Contains("\"'=A lamp, for the file\"", Assert.Single(lines[1..]), StringComparison.Ordinal);
        Assert.Contains(
            "Downloaded who changed what.",
            await oskar.Client.GetStringAsync("/people/audit?handler=Download"),
            StringComparison.Ordinal
        );
        Assert.Equal(
            System.Net.HttpStatusCode.Forbidden,
            await (await space.AsAsync("maren")).StatusAsync("/people/audit/changes?handler=Download")
        );
        Assert.Single(
            (await oskar.Client.GetStringAsync("/people/audit/changes?until=1 Jan 2001&handler=Download")).Split(
                "\r\n",
                StringSplitOptions.RemoveEmptyEntries
            )
        );
    }

    [Fact]
    public async Task Its_entries_cannot_be_altered_and_where_they_were_all_the_same_that_shows()
    {
        var (defects, key) = await DefectAsync("A lamp in the chain");
        await ChangeAsync(defects, key, Severity, "minor", "serious");
        var entries = await EntriesAsync(defects, key, 2);
        Task<(long Holds, (long Id, string Says)? Breaks)> VerifyAsync() =>
            space.InStoreAsync(store => RecordLog.VerifyAsync(store, CancellationToken.None));
        Assert.Null((await VerifyAsync()).Breaks);

        Task<int> AlterAsync(string sql) => space.InStoreAsync(store => store.Database.ExecuteSqlRawAsync(sql));
        var alters = $"UPDATE log_entries SET person_name = 'Nobody' WHERE id = {entries[0].Id}";
        await Assert.ThrowsAsync<PostgresException>(() => AlterAsync(alters));
        await Assert.ThrowsAsync<PostgresException>(() => AlterAsync($"DELETE FROM log_entries WHERE id = {entries[0].Id}"));

        // Whoever rules the database can take the guard away: the chain tells of it.
        await AlterAsync("ALTER TABLE log_entries DISABLE TRIGGER log_entries_are_only_added");
        await AlterAsync(alters);
        Assert.Equal((entries[0].Id, "what it says was altered"), (await VerifyAsync()).Breaks);
        await AlterAsync($"UPDATE log_entries SET person_name = 'Maren Vik' WHERE id = {entries[0].Id}");
        Assert.Null((await VerifyAsync()).Breaks);
    }
}
