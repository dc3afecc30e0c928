using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Tests;

/// <summary>
/// What a page asks at once goes to its source in one round trip, and the answers are those that it would have had one by one.
/// </summary>
public sealed class GatheringTests(FleetDatabase fleet) : IClassFixture<FleetDatabase>
{
    private Dataset Defects => fleet.Catalogue.Named("defects");

    private Dataset Ports => fleet.Catalogue.Named("ports");

    private ReadRequest[] Requests =>
        [
            new(Defects.Id)
            {
                Fields = [new("title"), new("due")],
                Titles = [new("vessel")],
                Filter = new Filter.Holds("state <> \"closed\""),
                Sort = [new SortBy(new("due"))],
                Counted = true,
                Window = new PageWindow.FromStart(0, 7),
            },
            new(Defects.Id)
            {
                Fields = [new("title")],
                Computed = [new ComputedColumn(new("late"), "IF(due < TODAY(), TODAY() - due)")],
                Counted = true,
                Window = new PageWindow.FromStart(20, 5),
            },
            new(Defects.Id)
            {
                Filter = new Filter.Holds("IF(due < TODAY(), TODAY() - due) > 3"),
                Counted = true,
                Window = new PageWindow.FromStart(0, 0),
            },
            new(Defects.Id)
            {
                Filter = new Filter.Holds("SQRT(id) > 30"),
                Fields = [new("title")],
                Counted = true,
                Window = new PageWindow.FromStart(0, 4),
            },
            new(Ports.Id) { Fields = [new("name"), new("berths")], Counted = true },
            new(Ports.Id) { Counted = true, Window = new PageWindow.FromStart(0, 0) },
        ];

    [Fact]
    public async Task The_answers_are_those_that_each_request_has_alone()
    {
        var now = new DateTimeOffset(2026, 11, 23, 12, 0, 0, TimeSpan.Zero);
        foreach (var _ in Enumerable.Range(0, 3))
        {
            var together = await HeldAsync(fleet.Gate.ForOnePage(), gate =>
                Requests.Select(request => gate.ReadAsync(fleet.Catalogue, request with { Now = now }, Gates.All, CancellationToken.None))
            );
            for (var at = 0; at < Requests.Length; at++)
            {
                var alone = Assert.IsType<ReadResult.Rows>(
                    await fleet.Gate.ReadAsync(fleet.Catalogue, Requests[at] with { Now = now }, Gates.All, CancellationToken.None)
                );
                var rows = Assert.IsType<ReadResult.Rows>(together[at]);
                Assert.Equal(alone.Count, rows.Count);
                Assert.Equal(alone.Records.Select(Text), rows.Records.Select(Text));
            }
        }

        string Text(Core.Datasets.Record record) =>
            string.Join(
                '|',
                string.Join('~', record.Key?.Values ?? []),
                record.Title,
                string.Join(',', new[] { "title", "due", "late", "name", "berths" }.Select(name => record[new FieldName(name)]))
            );
    }

    [Fact]
    public async Task Nothing_is_asked_before_the_gate_is_let_go()
    {
        var gate = fleet.Gate.ForOnePage();
        Task<ReadResult> asked;
        using (gate.Hold())
        {
            asked = gate.ReadAsync(fleet.Catalogue, Requests[4], Gates.All, CancellationToken.None);
            await Task.Delay(200);
            Assert.False(asked.IsCompleted);
        }

        Assert.Equal(9, Assert.IsType<ReadResult.Rows>(await asked).Records.Length);
    }

    [Fact]
    public async Task Where_one_fails_the_others_are_answered_and_the_failure_is_its_own()
    {
        var lost = Ports with { Id = new DatasetId(Guid.NewGuid()), Table = Ports.Table with { Name = "piers" } };
        var catalogue = new DatasetCatalogue([.. fleet.Catalogue.All, lost]);
        ReadRequest[] requests = [Requests[0], new(lost.Id) { Fields = [new("name")] }, Requests[4]];
        var answers = await HeldAsync(fleet.Gate.ForOnePage(), gate =>
            requests.Select(request => gate.ReadAsync(catalogue, request, Gates.All, CancellationToken.None))
        );
        Assert.Equal(7, Assert.IsType<ReadResult.Rows>(answers[0]).Records.Length);
        Assert.Equal(FailureReason.StructureChanged, Assert.IsType<ReadResult.Failed>(answers[1]).Failure.Reason);
        Assert.Equal(9, Assert.IsType<ReadResult.Rows>(answers[2]).Records.Length);
    }

    [Fact]
    public async Task Each_request_has_the_rights_of_its_own_person()
    {
        var some = Grants.Of(
            new HashSet<string> { "x" },
            [Policy.On("x", Defects.Id, Verbs.View) with { Condition = new Filter.Holds("severity = \"critical\"") }]
        );
        var count = new ReadRequest(Defects.Id) { Counted = true, Window = new PageWindow.FromStart(0, 0) };
        var answers = await HeldAsync(fleet.Gate.ForOnePage(), gate =>
            new[] { Gates.All, some }.Select(grants => gate.ReadAsync(fleet.Catalogue, count, grants, CancellationToken.None))
        );
        var numbers = answers.Cast<ReadResult.Rows>().Select(rows => rows.Count!.Number).ToArray();
        Assert.Equal(await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM defects"), numbers[0]);
        Assert.Equal(await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM defects WHERE severity = 'critical'"), numbers[1]);
        Assert.All(answers.Cast<ReadResult.Rows>(), rows => Assert.Empty(rows.Records));
    }

    [Fact]
    public async Task Figures_over_one_small_table_share_one_look_at_it_and_those_over_a_large_one_do_not()
    {
        await using var database = await TestDatabase.CreateAsync(
            """
            CREATE TABLE few (id int PRIMARY KEY, "cost $1 or ' quoted" int, name text);
            INSERT INTO few SELECT n, n, CASE WHEN n % 2 = 0 THEN 'it''s $2' ELSE 'odd' END FROM generate_series(1, 100) n;
            CREATE TABLE many (id int PRIMARY KEY, cost int, name text);
            INSERT INTO many SELECT n, n, 'x' FROM generate_series(1, 20000) n;
            CREATE TABLE fresh (id int PRIMARY KEY, cost int, name text);
            INSERT INTO fresh SELECT n, n, 'x' FROM generate_series(1, 50) n;
            ANALYZE few; ANALYZE many
            """
        );
        var catalogue = await database.DraftAsync();
        foreach (var (table, most, looks) in new[] { ("few", 100, 3), ("many", 20000, 12), ("fresh", 50, 12) })
        {
            // A machine that has other work may take long over one statement, which then goes by itself.
            var scans = 0L;
            for (var attempt = 0; attempt < 5 && scans != looks; attempt++)
            {
                scans = await LooksAsync(database, catalogue, table, most, looks);
            }

            Assert.Equal(looks, scans);
        }
    }

    // How often a page that is asked for three times looks at a table.
    private static async Task<long> LooksAsync(TestDatabase database, DatasetCatalogue catalogue, string table, int most, int least)
    {
        var dataset = catalogue.Named(table);
        var gate = Gates.For(database);
        Task<long> ScansAsync() => database.ScalarAsync<long>($"SELECT seq_scan FROM pg_stat_user_tables WHERE relname = '{table}'");
        await OthersHaveGoneAsync(database);
        var before = await ScansAsync();
        var cost = dataset.Fields[1].Name;
        ReadRequest Count(Filter filter) =>
            new(dataset.Id)
            {
                Filter = filter,
                Counted = true,
                Window = new PageWindow.FromStart(0, 0),
            };
        var page = gate.ForOnePage();
        for (var turn = 0; turn < 3; turn++)
        {
            Task<ReadResult[]> counts;
            Task<TotalResult> total;
            using (page.Hold())
            {
                counts = Task.WhenAll(
                    new[]
                    {
                        Count(new Filter.Compare(cost, Comparison.AtMost, 30L)),
                        Count(new Filter.OneOf(new("name"), ["it's $2", "x"])),
                        Count(new Filter.Holds("NOT(name = \"odd\")")),
                    }.Select(request => page.ReadAsync(catalogue, request, Gates.All, CancellationToken.None))
                );
                total = page.TotalAsync(
                    catalogue,
                    new TotalRequest(
                        dataset.Id,
                        [new FieldTotal(cost, Total.Sum), new FieldTotal(cost, Total.Most)],
                        new Filter.Compare(cost, Comparison.More, 10L)
                    ),
                    Gates.All,
                    CancellationToken.None
                );
            }

            var even = table == "few" ? 50 : Math.Min(most, 10_000);
            Assert.Equal([30, even, even], (await counts).Cast<ReadResult.Rows>().Select(rows => Math.Min(10_000, rows.Count!.Number)));
            Assert.Equal<decimal?>([(most * (most + 1) / 2) - 55, most], Assert.IsType<TotalResult.Values>(await total).Numbers);
        }

        // The server tells of what a connection read once that is closed.
        await gate.DisposeAsync();
        var scans = 0L;
        for (var wait = 0; wait < 50 && scans < least; wait++)
        {
            await Task.Delay(100);
            scans = await ScansAsync() - before;
        }

        return scans;
    }

    // A connection counts its scans for the server at its end, which comes a moment after it is closed.
    private static async Task OthersHaveGoneAsync(TestDatabase database)
    {
        while (
            await database.ScalarAsync<long>(
                "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND backend_type = 'client backend' "
                    + "AND pid <> pg_backend_pid()"
            ) > 0
        )
        {
            await Task.Delay(50);
        }
    }

    [Fact]
    public async Task Where_one_of_those_that_share_a_look_fails_the_others_are_answered()
    {
        await using var database = await TestDatabase.CreateAsync(
            "CREATE TABLE words (id int PRIMARY KEY, name text, size int); INSERT INTO words SELECT n, 'w' || n, n FROM "
                + "generate_series(1, 20) n; ANALYZE words"
        );
        var catalogue = await database.DraftAsync();
        await using var gate = Gates.For(database);
        var words = catalogue.Named("words");
        await database.RunAsync("ALTER TABLE words DROP COLUMN size");
        ReadRequest Count(Filter filter) =>
            new(words.Id)
            {
                Filter = filter,
                Counted = true,
                Window = new PageWindow.FromStart(0, 0),
            };
        var answers = await HeldAsync(gate.ForOnePage(), page =>
            new[]
            {
                Count(new Filter.OneOf(new("name"), ["w1"])),
                Count(new Filter.Compare(new("size"), Comparison.More, 3L)),
                Count(new Filter.Contains(new("name"), "w2")),
            }.Select(request => page.ReadAsync(catalogue, request, Gates.All, CancellationToken.None))
        );
        Assert.Equal(
            (1, 2),
            (Assert.IsType<ReadResult.Rows>(answers[0]).Count!.Number, Assert.IsType<ReadResult.Rows>(answers[2]).Count!.Number)
        );
        Assert.Equal(FailureReason.StructureChanged, Assert.IsType<ReadResult.Failed>(answers[1]).Failure.Reason);
    }

    private static async Task<ImmutableArray<ReadResult>> HeldAsync(RecordGate gate, Func<RecordGate, IEnumerable<Task<ReadResult>>> ask)
    {
        Task<ReadResult[]> answers;
        using (gate.Hold())
        {
            answers = Task.WhenAll(ask(gate));
        }

        return [.. await answers];
    }
}
