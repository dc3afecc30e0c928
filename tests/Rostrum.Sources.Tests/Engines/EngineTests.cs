using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using static Rostrum.Sources.Tests.Gates;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>What holds of every kind of database: it is read, narrowed, ordered, counted, written and refused in the same way.</summary>
public sealed class EngineTests
{
    private static readonly string[] Schema =
    [
        "CREATE TABLE vessels (hull varchar(8) PRIMARY KEY, name varchar(20) NOT NULL UNIQUE, seats int)",
        """
            CREATE TABLE defects (
                id {id}, vessel varchar(8) NOT NULL, title varchar(30) NOT NULL, state varchar(10) NOT NULL DEFAULT 'open',
                cost decimal(8,2), due date, seen {moment}, story text,
                CONSTRAINT defects_state_check CHECK (state IN ('open', 'in work', 'closed')),
                CONSTRAINT defects_cost_check CHECK (cost >= 0),
                UNIQUE (vessel, title), FOREIGN KEY (vessel) REFERENCES vessels (hull))
            """,
        "INSERT INTO vessels VALUES ('BF-1', 'Kittiwake', 120), ('BF-2', 'Fulmar', 80), ('BF-3', 'Great Skua', NULL)",
        """
            INSERT INTO defects (vessel, title, state, cost, due, seen) VALUES
                ('BF-1', 'Pump leaks', 'open', 12.10, '2026-01-31', '2026-01-31 10:00:00'),
                ('BF-1', 'pump LEAKS oil', 'closed', 0.20, NULL, NULL),
                ('BF-2', 'Door sticks', 'open', NULL, '2026-02-28', NULL),
                ('BF-2', 'Ævar 100% lamp', 'in work', 7.00, '2026-02-01', '2026-02-01 00:00:00.5'),
                ('BF-3', 'Door sticks', 'open', 0.10, NULL, NULL)
            """,
    ];

    private static async Task<(EngineSource Source, DatasetCatalogue Catalogue, Dataset Defects)> OpenAsync(string kind)
    {
        var source = await EngineSource.CreateAsync(kind, Schema);
        var catalogue = await source.DraftAsync();
        return (source, catalogue, catalogue.Named("defects"));
    }

    private static ReadRequest All(Dataset dataset) =>
        new(dataset.Id)
        {
            Fields = [.. dataset.Fields.Select(field => field.Name)],
            Sort = [new SortBy(new("id"))],
            Counted = true,
        };

    public static TheoryData<string> Kinds => EngineSource.Kinds;

    // Groups of defects with count, sum, median and average of the cost, and how many titles there are; the month is what a formula gives.
    private static async Task<string[]> SummaryAsync(RecordGate gate, DatasetCatalogue catalogue, params string[] by)
    {
        var cost = new FieldName("cost");
        var request = new SummaryRequest(
            catalogue.Named("defects").Id,
            [.. by.Select(name => new FieldName(name))],
            [
                null,
                new FieldTotal(cost, Total.Sum),
                new FieldTotal(cost, Total.Median),
                new FieldTotal(cost, Total.Average),
                new FieldTotal(new("title"), Total.Distinct),
            ],
            new Filter.Everything()
        )
        {
            Computed = [new ComputedColumn(new("month"), "STARTOF(due, \"month\")")],
        };
        var groups = Assert.IsType<SummaryResult.Groups>(await gate.SummariseAsync(catalogue, request, Gates.All, CancellationToken.None));
        Assert.False(groups.IsCut);
        Assert.Equal(
            Math.Min(1, groups.Found.Length - 1),
            Assert
                .IsType<SummaryResult.Groups>(
                    await gate.SummariseAsync(catalogue, request with { Limit = 1 }, Gates.All, CancellationToken.None)
                )
                .IsCut
                ? 1
                : 0
        );
        static string Shown(object? value) =>
            value switch
            {
                null => "-",
                DateOnly day => day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture),
                _ => value.ToString()!,
            };
        return
        [
            .. groups.Found.Select(group =>
                string.Join(
                    ' ',
                    group
                        .Values.Zip(group.Titles, (value, title) => title is null ? Shown(value) : $"{Shown(value)} {title}")
                        .Concat(group.Numbers.Select((number, at) => at is 0 or 4 ? $"{number:0}" : $"{number:0.00}"))
                )
            ),
        ];
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task All_records_are_given_in_parts_as_one_page_has_them_however_few_at_a_time(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        var plain = All(defects) with { Counted = false, Titles = [defects.Relations[0].Name] };
        var computed = plain with { Computed = [new ComputedColumn(new("twice"), "cost * 2")] };
        ReadRequest[] requests =
        [
            plain,
            plain with
            {
                Sort = [new SortBy(new("due"), Descending: true), new SortBy(new("id"))],
                Filter = new Filter.Holds("cost > 0"),
            },
            plain with
            {
                Search = "leaks",
                Sort = [new SortBy(new("vessel"))],
            },
            computed with
            {
                Sort = [new SortBy(new("twice"))],
            },
            plain with
            {
                Filter = new Filter.Holds("FALSE"),
            },
        ];
        foreach (var request in requests)
        {
            var whole = Assert.IsType<ReadResult.Rows>(
                await source.Gate.ReadAsync(catalogue, request with { Window = new PageWindow.FromStart(0, 100) }, Gates.All, default)
            );
            foreach (var atOnce in new[] { 1, 2, 5, 100 })
            {
                var parts = await PartsAsync(source.Gate, catalogue, request, atOnce, Gates.All);
                Assert.Equal(
                    whole.Records.Select(Said),
                    parts.SelectMany(part => Assert.IsType<ReadResult.Rows>(part).Records).Select(Said)
                );
                Assert.All(parts, part => Assert.True(((ReadResult.Rows)part).Records.Length <= atOnce));
            }
        }

        string Said(Rostrum.Core.Datasets.Record record) =>
            $"{record.Title} {record.Key!.ToText(defects)} {string.Join('|', record.Layout.Fields.Select(name => record[name]))}";
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Parts_that_nobody_wants_any_more_hold_nothing_and_what_goes_wrong_is_the_last_of_them(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;

        // More often than a source has connections.
        for (var at = 0; at < 120; at++)
        {
            await foreach (var part in source.Gate.PagesAsync(catalogue, All(defects), 1, Gates.All, default))
            {
                Assert.Single(Assert.IsType<ReadResult.Rows>(part).Records);
                break;
            }
        }

        Assert.IsType<ReadResult.Denied>(
            Assert.Single(await PartsAsync(source.Gate, catalogue, All(defects), 2, Grants.Of(new HashSet<string>(), [])))
        );
        await source.RunAsync("DROP TABLE defects");
        Assert.IsType<ReadResult.Failed>(Assert.Single(await PartsAsync(source.Gate, catalogue, All(defects), 2, Gates.All)));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Many_who_take_their_parts_slowly_leave_connections_for_others(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        var slow = Enumerable
            .Range(0, 120)
            .Select(_ => source.Gate.PagesAsync(catalogue, All(defects), 1, Gates.All, default).GetAsyncEnumerator())
            .ToArray();
        foreach (var one in slow)
        {
            Assert.True(await one.MoveNextAsync());
        }

        Assert.Equal(5, (await RowsAsync(source.Gate, catalogue, All(defects))).Records.Length);
        foreach (var one in slow)
        {
            var left = 0;
            while (await one.MoveNextAsync())
            {
                left += Assert.IsType<ReadResult.Rows>(one.Current).Records.Length;
            }

            Assert.Equal(4, left);
            await one.DisposeAsync();
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Many_records_are_not_counted_for_every_page(string kind)
    {
        var digits = string.Join(" UNION ALL ", Enumerable.Range(0, 10).Select(digit => $"SELECT {digit} AS n"));
        await using var source = await EngineSource.CreateAsync(
            kind,
            "CREATE TABLE ticks (id {id}, n int NOT NULL)",
            $"INSERT INTO ticks (n) WITH d AS ({digits}) SELECT a.n FROM d a, d b, d c, d e, d f",
            "CREATE VIEW beats AS SELECT * FROM ticks",
            kind == "mysql" ? "ANALYZE TABLE ticks" : "ANALYZE ticks"
        );
        var catalogue = await source.DraftAsync();
        async Task<RecordCount> CountAsync(string name) =>
            (await RowsAsync(source.Gate, catalogue, new ReadRequest(catalogue.Named(name).Id) { Counted = true })).Count!;

        Assert.Equal(new RecordCount(100_000, CountKind.Exact), await CountAsync("beats"));
        Assert.Equal(new RecordCount(100_000, CountKind.About), await CountAsync("beats"));
        await CountAsync("ticks");
        var again = await CountAsync("ticks");
        Assert.InRange(again.Number, 60_000, 140_000);
        await source.RunAsync("DELETE FROM ticks WHERE n < 9");
        Assert.Equal(kind == "sqlite" ? CountKind.About : again.Kind, again.Kind);
        Assert.Equal(again, await CountAsync("ticks"));
    }

    private static async Task<List<ReadResult>> PartsAsync(
        RecordGate gate,
        DatasetCatalogue catalogue,
        ReadRequest request,
        int atOnce,
        Grants grants
    )
    {
        var parts = new List<ReadResult>();
        await foreach (var part in gate.PagesAsync(catalogue, request, atOnce, grants, CancellationToken.None))
        {
            parts.Add(part);
        }

        return parts;
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task A_draft_knows_keys_relations_choices_and_rules(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        Assert.Equal("id", Assert.Single(defects.Key).Value);
        Assert.IsType<FieldType.Integer>(defects[new("id")].Type);
        Assert.True(defects[new("id")].HasDefault);
        Assert.Equal(new FieldType.Number(8, 2), defects[new("cost")].Type);
        Assert.IsType<FieldType.Date>(defects[new("due")].Type);
        Assert.IsType<FieldType.LocalDateTime>(defects[new("seen")].Type);
        Assert.Equal(30, Assert.IsType<FieldType.Text>(defects[new("title")].Type).MaxLength);
        var relation = Assert.Single(defects.Relations);
        Assert.Equal((new FieldName("vessel"), catalogue.Named("vessels").Id, true), (relation.Field, relation.Target, relation.Declared));
        Assert.Equal(["closed", "in work", "open"], Assert.IsType<FieldType.Choice>(defects[new("state")].Type).Options.Order());
        Assert.Contains(defects.Rules, rule => rule.Field == new FieldName("cost") && rule.Message.Contains('0'));
        Assert.True(catalogue.Named("vessels")[new("name")].Required);
    }

    [Fact]
    public async Task A_file_tells_about_how_many_rows_its_tables_have()
    {
        await using var source = await EngineSource.CreateAsync(
            "sqlite",
            [.. Schema, "CREATE TABLE codes (code text PRIMARY KEY) WITHOUT ROWID", "CREATE VIEW seats AS SELECT seats FROM vessels"]
        );
        var read = Assert.IsType<StructureResult.Read>(await SourceConnector.ReadStructureAsync(source.Settings, CancellationToken.None));
        Assert.Equal(
            [("codes", null), ("defects", 5L), ("seats", null), ("vessels", 3L)],
            read.Structure.Tables.Select(table => (table.Name.Name, table.EstimatedRows))
        );
    }

    [Theory]
    [InlineData("postgres", "R7", "day", false)]
    [InlineData("postgres", null, "day", true)]
    [InlineData("postgres", null, "late", true)]
    [InlineData("postgres", null, "late", false)]
    [InlineData("mysql", "R7", "day", false)]
    [InlineData("sqlite", "R7", "day", false)]
    [InlineData("sqlite", null, "day", true)]
    public async Task A_proposed_index_spares_reading_the_whole_table(string kind, string? route, string by, bool descending)
    {
        await using var source = await EngineSource.CreateAsync(
            kind,
            "CREATE TABLE sailings (id {id}, route varchar(8) NOT NULL, day int NOT NULL, late int, note varchar(200))",
            "INSERT INTO sailings (route, day, late, note) WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 900) "
                + "SELECT concat('R', i % 300), i, nullif(i % 50, 0), 'as it was planned, with nothing to say of it' FROM n"
        );
        var catalogue = await source.DraftAsync();
        var sailings = catalogue.Named("sailings");
        var request = new ReadRequest(sailings.Id)
        {
            Fields = [new("day"), new("late")],
            Filter = route is null ? new Filter.Everything() : new Filter.OneOf(new("route"), [route]),
            Sort = [new SortBy(new(by), descending)],
            Window = new PageWindow.FromStart(0, 10),
        };
        var engine = Sql.SqlEngines.Of(kind);

        Assert.True(await ReadsAllAsync());
        await source.RunAsync(engine.IndexOn(sailings.Table, IndexProposal.Columns(sailings, request, new Filter.Everything()))!);
        await source.RunAsync(kind == "mysql" ? "ANALYZE TABLE sailings" : "ANALYZE");
        Assert.False(await ReadsAllAsync());

        async Task<bool> ReadsAllAsync()
        {
            var plan = await source.Gate.ExplainAsync(catalogue, request, Gates.All, run: false, CancellationToken.None);
            return engine.ReadsAll(Assert.IsType<ExplainResult.Plan>(plan).ServerPlan.Split('\n'), sailings.Table);
        }
    }

    [Theory]
    [InlineData("mysql", false)]
    [InlineData("sqlite", true)]
    public void No_index_is_proposed_where_none_serves_an_order(string kind, bool servesOrders)
    {
        var field = new Field
        {
            Name = new("late"),
            Column = "late",
            NativeType = "int",
            Label = "Late",
            Type = new FieldType.Integer(),
        };
        var engine = Sql.SqlEngines.Of(kind);
        Assert.Null(engine.IndexOn(new("", "sailings"), [new IndexColumn(field, new SortBy(field.Name))]));
        var required = new IndexColumn(field with { Required = true }, new SortBy(field.Name));
        Assert.Equal(servesOrders, engine.IndexOn(new("", "sailings"), [required]) is not null);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Values_come_as_they_are_kept(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        var rows = await RowsAsync(source.Gate, catalogue, All(defects) with { Titles = [new("vessel")] });
        var fourth = rows.Records[3];
        Assert.Equal("Fulmar", fourth.TitleOf(new("vessel")));
        Assert.Equal(7.00m, fourth[new("cost")]);
        Assert.Equal(new DateOnly(2026, 2, 1), fourth[new("due")]);
        Assert.Equal(new DateTime(2026, 2, 1, 0, 0, 0, 500), fourth[new("seen")]);
        Assert.Equal("Ævar 100% lamp", fourth[new("title")]);
        Assert.Null(rows.Records[2][new("cost")]);
        Assert.Equal(new RecordCount(5, CountKind.Exact), rows.Count);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Records_are_narrowed_in_the_same_way(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        async Task<string> FoundAsync(Filter filter, string search = "") =>
            string.Join(
                " ",
                (await RowsAsync(source.Gate, catalogue, All(defects) with { Filter = filter, Search = search })).Records.Select(record =>
                    record[new("id")]
                )
            );
        Assert.Equal("1 3 5", await FoundAsync(new Filter.OneOf(new("state"), ["open"])));
        Assert.Equal("3 5", await FoundAsync(new Filter.OneOf(new("title"), ["Door sticks", "DOOR STICKS"])));
        Assert.Equal("", await FoundAsync(new Filter.OneOf(new("title"), ["door sticks"])));
        Assert.Equal("1 3", await FoundAsync(new Filter.OneOf(new("cost"), [12.10m, null])));
        Assert.Equal("1 2", await FoundAsync(new Filter.Contains(new("title"), "leaks")));
        Assert.Equal("4", await FoundAsync(new Filter.Contains(new("title"), "ævar 100%")));
        Assert.Equal("", await FoundAsync(new Filter.Contains(new("title"), "1_0")));
        Assert.Equal("1 4", await FoundAsync(new Filter.Compare(new("cost"), Comparison.AtLeast, 7m)));
        Assert.Equal("1 4", await FoundAsync(new Filter.Compare(new("due"), Comparison.Less, new DateOnly(2026, 2, 28))));
        Assert.Equal("2 4", await FoundAsync(new Filter.Not(new Filter.OneOf(new("state"), ["open"]))));
        Assert.Equal("3 5", await FoundAsync(new Filter.Alike([new("title")])));
        Assert.Equal("3 4", await FoundAsync(new Filter.Everything(), "fulmar"));
        Assert.Equal("3", await FoundAsync(new Filter.Everything(), "fulmar sticks"));
        Assert.Equal("1 2", await FoundAsync(new Filter.Holds("vessel.seats > 100")));
        Assert.Equal("1 4", await FoundAsync(new Filter.Holds("cost * 2 > 1")));
        Assert.Equal("3 5", await FoundAsync(new Filter.Holds("LEFT(title, 4) = \"Door\"")));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Pages_forwards_and_backwards_are_the_whole_list_with_blanks_last(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        foreach (
            var (sort, order) in new[]
            {
                (new SortBy(new("cost")), "5 2 4 1 3"),
                (new SortBy(new("cost"), Descending: true), "1 4 2 5 3"),
                (new SortBy(new("due")), "1 4 3 2 5"),
                (new SortBy(new("vessel")), "3 4 5 1 2"),
            }
        )
        {
            var request = All(defects) with { Sort = [sort], Window = new PageWindow.FromStart(0, 2) };
            var (seen, windows) = (new List<object?>(), 0);
            var rows = await RowsAsync(source.Gate, catalogue, request);
            while (true)
            {
                seen.AddRange(rows.Records.Select(record => record[new("id")]));
                if (!rows.HasLater || ++windows > 5)
                {
                    break;
                }

                rows = await RowsAsync(source.Gate, catalogue, request with { Window = new PageWindow.After(rows.Last!, 2) });
            }

            Assert.Equal(order, string.Join(" ", seen));
            var before = await RowsAsync(source.Gate, catalogue, request with { Window = new PageWindow.Before(rows.First!, 4) });
            Assert.Equal(order[..7], string.Join(" ", before.Records.Select(record => record[new("id")])));
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Groups_totals_and_the_first_of_each_are_exact(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        var groups = Assert.IsType<GroupResult.Groups>(
            await source.Gate.GroupAsync(
                catalogue,
                new GroupRequest(defects.Id, new("vessel"), new Filter.Everything(), "", 10),
                Gates.All,
                CancellationToken.None
            )
        );
        Assert.Equal(
            ["Fulmar 2", "Great Skua 1", "Kittiwake 2"],
            groups.Values.Select(value => $"{value.Title} {value.Count}").Order(StringComparer.Ordinal)
        );
        var totals = Assert.IsType<TotalResult.Values>(
            await source.Gate.TotalAsync(
                catalogue,
                new TotalRequest(
                    defects.Id,
                    [new(new("cost"), Total.Sum), new(new("cost"), Total.Least), new(new("cost"), Total.Most), new(new("id"), Total.Sum)],
                    new Filter.Everything()
                ),
                Gates.All,
                CancellationToken.None
            )
        );
        Assert.Equal<decimal?>([19.40m, 0.10m, 12.10m, 15m], totals.Numbers);
        Assert.Equal(
            [
                "BF-1 Kittiwake 2026-01-01 1 12.10 12.10 12.10 1",
                "BF-1 Kittiwake - 1 0.20 0.20 0.20 1",
                "BF-2 Fulmar 2026-02-01 2 7.00 7.00 7.00 2",
                "BF-3 Great Skua - 1 0.10 0.10 0.10 1",
            ],
            (await SummaryAsync(source.Gate, catalogue, "vessel", "month"))
                .Order(StringComparer.Ordinal)
                .Reverse()
                .OrderBy(line => line[..4], StringComparer.Ordinal)
                .ThenBy(line => line.Contains(" - ", StringComparison.Ordinal))
        );
        Assert.Equal(["5 19.40 3.60 4.85 4"], await SummaryAsync(source.Gate, catalogue));
        var first = await RowsAsync(
            source.Gate,
            catalogue,
            All(defects) with
            {
                Counted = false,
                Filter = new Filter.OneOf(new("vessel"), ["BF-1", "BF-2"]),
                Each = new EachOf(new("vessel"), 1),
                Sort = [new SortBy(new("id"), Descending: true)],
            }
        );
        Assert.Equal(["2", "4"], first.Records.Select(record => record[new("id")]!.ToString()).Order());
        var vessels = catalogue.Named("vessels");
        var computed = await RowsAsync(
            source.Gate,
            catalogue,
            new ReadRequest(vessels.Id)
            {
                Computed =
                [
                    new ComputedColumn(new("costs"), "SUM(defects.cost)"),
                    new ComputedColumn(new("open"), "COUNT(FILTER(defects, state = \"open\"))"),
                ],
                Sort = [new SortBy(new("costs"), Descending: true)],
            }
        );
        Assert.Equal(
            ["Kittiwake 12.30 1", "Fulmar 7.00 1", "Great Skua 0.10 1"],
            computed.Records.Select(record =>
                FormattableString.Invariant($"{record.Title} {record[new("costs")]:0.00} {record[new("open")]}")
            )
        );
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Records_are_added_changed_deleted_and_each_of_that_is_undone(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        Task<string> DumpAsync() =>
            source.ScalarAsync("SELECT count(*) FROM defects WHERE title <> 'Pump leaks' OR (cost = 12.10 AND due = '2026-01-31')");
        var added = await source.Gate.SavedAsync(
            catalogue,
            defects,
            new Change.Insert(
                Values(("vessel", "BF-3"), ("title", "Æther vent"), ("cost", 3.50m), ("seen", new DateTime(2026, 3, 1, 8, 30, 0)))
            )
        );
        Assert.Equal("6", added.Key!.ToText(defects));
        var now = (
            await RowsAsync(source.Gate, catalogue, ReadRequest.Of(defects, added.Key) with { Fields = All(defects).Fields })
        ).Records[0];
        Assert.Equal(
            ("open", (object?)3.50m, (object?)new DateTime(2026, 3, 1, 8, 30, 0)),
            (now[new("state")], now[new("cost")], now[new("seen")])
        );

        var key = RecordKey.Parse(defects, "1")!;
        var changed = await source.Gate.SavedAsync(
            catalogue,
            defects,
            new Change.Update(
                key,
                Values(("cost", 12.10m)),
                Values(("cost", null), ("due", new DateOnly(2027, 1, 1)), ("title", "Pump leaks"))
            )
        );
        Assert.Equal("5", await DumpAsync());
        var conflict = await source.Gate.SaveAsync(
            catalogue,
            defects,
            new Change.Update(key, Values(("cost", 12.10m)), Values(("cost", 1m)))
        );
        Assert.Null(Assert.IsType<SaveResult.Conflict>(conflict).Current![new("cost")]);
        async Task UndoAsync(Change inverse) =>
            Assert.IsType<SaveResult.Saved>(
                await source.Gate.UndoAsync(catalogue, new ChangeSet(defects.Id, [inverse]), Gates.All, CancellationToken.None)
            );
        await UndoAsync(changed.Inverse!);
        Assert.Equal("6", await DumpAsync());
        var deleted = await source.Gate.SavedAsync(catalogue, defects, new Change.Delete(key, Values(("cost", 12.10m))));
        Assert.Equal("5", await source.ScalarAsync("SELECT count(*) FROM defects"));
        await UndoAsync(deleted.Inverse!);
        await UndoAsync(added.Inverse!);
        Assert.Equal("12.10", (await source.ScalarAsync("SELECT cost FROM defects WHERE id = 1")).PadRight(5, '0'));
        Assert.Equal("5", await DumpAsync());
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task What_the_database_refuses_is_said_at_its_field_and_nothing_is_written(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;

        // What a draft took over as rules would be said before the database is asked.
        var bare = new DatasetCatalogue([.. catalogue.All.Select(dataset => dataset with { Rules = [] })]);
        async Task<string> RefusedAsync(Change change) =>
            string.Join(
                "; ",
                Assert
                    .IsType<SaveResult.Invalid>(await source.Gate.SaveAsync(bare, bare.Named("defects"), change))
                    .Problems.Select(problem => $"{problem.Field}: {problem.Message}")
            );
        var key = RecordKey.Parse(defects, "1")!;
        Assert.Equal(
            "vessel: There is another defect with the same vessel and title.; "
                + "title: There is another defect with the same vessel and title.",
            await RefusedAsync(new Change.Insert(Values(("vessel", "BF-1"), ("title", "Pump leaks"))))
        );
        Assert.Equal(
            "vessel: There is no such record to refer to.",
            await RefusedAsync(new Change.Update(key, FieldValues.None, Values(("vessel", "BF-9"))))
        );
        Assert.StartsWith(
            "cost",
            (await RefusedAsync(new Change.Update(key, FieldValues.None, Values(("cost", -1m)))))
                .TrimStart(':', ' ')
                .Replace("The database has a rule against this: “", "", StringComparison.Ordinal),
            StringComparison.Ordinal
        );
        var vessels = bare.Named("vessels");
        var used = Assert.IsType<SaveResult.Invalid>(
            await source.Gate.SaveAsync(bare, vessels, new Change.Delete(RecordKey.Parse(vessels, "BF-1")!, FieldValues.None))
        );
        Assert.Contains("refer to this vessel", Assert.Single(used.Problems).Message, StringComparison.Ordinal);
        Assert.Equal("5", await source.ScalarAsync("SELECT count(*) FROM defects WHERE vessel <> 'BF-9'"));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Rules_and_rights_hold(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        var ruled = defects with
        {
            Rules =
            [
                new Rule.Unique([new("title")])
                {
                    Name = "one",
                    Message = "Titles differ.",
                    Field = new("title"),
                },
                new Rule.Holds("OR(ISBLANK(due), due > DATE(2020, 1, 1))")
                {
                    Name = "late",
                    Message = "Due is too early.",
                    Field = new("due"),
                },
            ],
        };
        var changed = new DatasetCatalogue([ruled, .. catalogue.All.Where(dataset => dataset.Id != defects.Id)]);
        async Task<string> SaidAsync(Change change, Grants? grants = null) =>
            await source.Gate.SaveAsync(changed, ruled, change, grants) switch
            {
                SaveResult.Invalid invalid => string.Join(" ", invalid.Problems.Select(problem => problem.Message)),
                SaveResult.Denied denied => denied.Reason,
                var other => other.GetType().Name,
            };
        Assert.Equal("Titles differ.", await SaidAsync(new Change.Insert(Values(("vessel", "BF-1"), ("title", "Door sticks")))));
        Assert.Equal(
            "Due is too early.",
            await SaidAsync(new Change.Insert(Values(("vessel", "BF-1"), ("title", "New"), ("due", new DateOnly(2019, 1, 1)))))
        );
        Assert.Equal(
            "Saved",
            await SaidAsync(new Change.Insert(Values(("vessel", "BF-1"), ("title", "New"), ("due", new DateOnly(2029, 1, 1)))))
        );

        var large = Grants.Of(
            new HashSet<string> { "agent" },
            [
                Policy.On("agent", defects.Id, Verbs.All) with
                {
                    Condition = new Filter.Holds("vessel.seats > 100"),
                },
                Policy.On("agent", catalogue.Named("vessels").Id, Verbs.View),
            ],
            null
        );
        var seen = await RowsAsync(source.Gate, catalogue, All(defects), large);
        Assert.Equal(
            ["Kittiwake"],
            seen.Records.Select(record => record[new("vessel")]!.ToString() == "BF-1" ? "Kittiwake" : "other").Distinct()
        );
        Assert.Equal(
            "This defect is not among those that you may change.",
            await SaidAsync(new Change.Update(RecordKey.Parse(defects, "3")!, FieldValues.None, Values(("story", "x"))), large)
        );
        Assert.Equal(
            "With these values the defect would not be among those that you may change.",
            await SaidAsync(new Change.Update(RecordKey.Parse(defects, "1")!, FieldValues.None, Values(("vessel", "BF-2"))), large)
        );
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Many_changes_are_made_each_by_itself(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        var bare = new DatasetCatalogue([.. catalogue.All.Select(dataset => dataset with { Rules = [] })]);
        ImmutableArray<Change> changes =
        [
            new Change.Update(RecordKey.Parse(defects, "1")!, FieldValues.None, Values(("title", "First"))),
            new Change.Update(RecordKey.Parse(defects, "99")!, FieldValues.None, Values(("title", "Missing"))),
            new Change.Update(RecordKey.Parse(defects, "2")!, FieldValues.None, Values(("title", "First"))),
            new Change.Update(RecordKey.Parse(defects, "3")!, FieldValues.None, Values(("title", "Third"))),
        ];
        var done = Assert.IsType<ManyResult.Done>(
            await source.Gate.SaveEachAsync(
                bare,
                new ChangeSet(defects.Id, changes),
                ManyChanges.ThosePossible,
                Gates.All,
                CancellationToken.None
            )
        );
        Assert.True(done.Written);
        Assert.Equal([true, false, false, true], done.Each.Select(one => one.Saved is not null));
        Assert.Equal("2", await source.ScalarAsync("SELECT count(*) FROM defects WHERE title IN ('First', 'Third')"));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task A_table_that_is_gone_is_said_so(string kind)
    {
        var (source, catalogue, defects) = await OpenAsync(kind);
        await using var _ = source;
        await source.RunAsync("DROP TABLE defects");
        var failed = Assert.IsType<ReadResult.Failed>(
            await source.Gate.ReadAsync(catalogue, All(defects), Gates.All, CancellationToken.None)
        );
        Assert.Equal(FailureReason.StructureChanged, failed.Failure.Reason);
    }

    [Fact]
    public async Task A_file_that_is_not_there_or_no_database_is_said_so()
    {
        var file = Path.Combine(Path.GetTempPath(), $"test_{Guid.NewGuid():N}.db");
        var missing = await SourceConnector.TestAsync(EngineSource.Sqlite(file), CancellationToken.None);
        Assert.Equal((FailureReason.UnknownDatabase, false), (missing!.Reason, File.Exists(file)));
        await File.WriteAllTextAsync(file, new string('x', 4096));
        var wrong = await SourceConnector.TestAsync(EngineSource.Sqlite(file), CancellationToken.None);
        Assert.Contains("is no SQLite database", wrong!.Message, StringComparison.Ordinal);
        File.Delete(file);
    }

    [Fact]
    public async Task A_MariaDB_server_that_refuses_is_said_so()
    {
        async Task<FailureReason> ReasonAsync(SourceSettings settings) =>
            (await SourceConnector.TestAsync(settings, CancellationToken.None))!.Reason;
        Assert.Equal(FailureReason.WrongPassword, await ReasonAsync(EngineSource.Maria with { Password = "wrong" }));
        Assert.Equal(FailureReason.UnknownDatabase, await ReasonAsync(EngineSource.Maria with { Database = "not_there" }));
        Assert.Equal(FailureReason.Refused, await ReasonAsync(EngineSource.Maria with { Port = 1 }));
        Assert.Equal(FailureReason.UnknownHost, await ReasonAsync(EngineSource.Maria with { Host = "no-such-host.invalid" }));
    }
}
