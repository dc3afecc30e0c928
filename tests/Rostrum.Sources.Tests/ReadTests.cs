using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.StandIns.Fleet;

namespace Rostrum.Sources.Tests;

/// <summary>The demo's fleet, as it is on one day, in a database that these tests share and do not change.</summary>
public sealed class FleetDatabase : IAsyncLifetime
{
    public TestDatabase Database { get; private set; } = null!;

    public DatasetCatalogue Catalogue { get; private set; } = null!;

    internal RecordGate Gate { get; private set; } = null!;

    public async Task InitializeAsync()
    {
        Database = await TestDatabase.CreateAsync();
        var settings = Database.Settings;
        await FleetLoader.LoadAsync(
            $"Host={settings.Host};Port={settings.Port};Database={settings.Database};Username={settings.User};Password={settings.Password}",
            new DateOnly(2026, 3, 14),
            CancellationToken.None
        );
        Catalogue = await Database.DraftAsync();
        Gate = Gates.For(Database);
    }

    public async Task DisposeAsync()
    {
        await Gate.DisposeAsync();
        await Database.DisposeAsync();
    }
}

public sealed class ReadTests(FleetDatabase fleet) : IClassFixture<FleetDatabase>
{
    private Dataset Sailings => fleet.Catalogue.Named("sailings");

    private Dataset Defects => fleet.Catalogue.Named("defects");

    private Task<ReadResult.Rows> RowsAsync(ReadRequest request, Grants? grants = null) =>
        Gates.RowsAsync(fleet.Gate, fleet.Catalogue, request, grants);

    private static ReadRequest Some(Dataset dataset, int limit = 20) =>
        new(dataset.Id)
        {
            Fields = [.. dataset.Fields.Select(field => field.Name)],
            Counted = true,
            Window = new PageWindow.FromStart(0, limit),
        };

    [Fact]
    public async Task Names_stand_where_the_keys_were_also_where_no_key_is_declared()
    {
        var defect = (
            await RowsAsync(Some(Defects, 1) with { Titles = [new("vessel")], Filter = new Filter.OneOf(new("vessel"), ["BF-101"]) })
        ).Records[0];
        Assert.Equal("Kittiwake", defect.TitleOf(new("vessel")));
        var route = (
            await RowsAsync(
                Some(fleet.Catalogue.Named("routes"), 1) with
                {
                    Titles = [new("origin_port"), new("destination_port"), new("relief_port")],
                }
            )
        ).Records[0];
        Assert.Equal(
            ["Brackwater", "Skerry Sound", "Elmholm"],
            new[] { "origin_port", "destination_port", "relief_port" }.Select(name => route.TitleOf(new(name)))
        );
        Assert.Equal("R01 · Brackwater · Skerry Sound", route.Title);
    }

    [Fact]
    public void Declared_links_are_found_and_implied_ones_but_not_where_a_value_leads_nowhere()
    {
        Assert.Equal(
            ["vessel → vessels"],
            Defects.Relations.Select(relation => $"{relation.Name} → {fleet.Catalogue.Find(relation.Target)!.Name}")
        );
        Assert.Equal(["vessel", "port"], fleet.Catalogue.Named("fuel_logs").Relations.Select(relation => relation.Name.Value));
        Assert.Equal(["route", "vessel"], Sailings.Relations.Select(relation => relation.Name.Value));
        Assert.Empty(fleet.Catalogue.Named("legacy_codes").Relations);
    }

    [Theory]
    [InlineData("kittiwake")]
    [InlineData("KITTI wake")]
    [InlineData("skerry razorbill")]
    public async Task Each_word_is_searched_in_texts_and_in_the_titles_of_related_records(string search)
    {
        var rows = await RowsAsync(Some(Sailings) with { Search = search, Titles = [new("vessel"), new("route")] });
        Assert.NotEmpty(rows.Records);
        Assert.All(rows.Records, record =>
            Assert.All(search.Split(' '), word =>
                Assert.Contains(
                    word,
                    record.TitleOf(new("vessel")) + record.TitleOf(new("route")) + record[new("state")],
                    StringComparison.OrdinalIgnoreCase
                )
            )
        );
    }

    [Theory]
    [InlineData("50 %", 6)]
    [InlineData("O'Neill_1", 6)]
    [InlineData("\\", 6)]
    [InlineData("O_Neill", 0)]
    [InlineData("%", 6)]
    [InlineData("'; DROP TABLE ports; --", 0)]
    public async Task Signs_that_mean_something_to_the_server_are_searched_for_as_they_are(string search, int found)
    {
        var codes = fleet.Catalogue.Named("legacy_codes");
        Assert.Equal(found, (await RowsAsync(Some(codes) with { Search = search })).Count!.Number);
    }

    [Fact]
    public async Task Counts_are_exact_where_that_is_cheap_and_say_so_where_they_are_not()
    {
        Assert.Equal(new RecordCount(1200, CountKind.Exact), (await RowsAsync(Some(Defects))).Count);
        var arrived = (await RowsAsync(Some(Sailings) with { Filter = new Filter.OneOf(new("state"), ["arrived"]) })).Count!;
        Assert.Equal(CountKind.About, arrived.Kind);
        Assert.InRange(arrived.Number, 25_000, 45_000);
    }

    public static TheoryData<string, bool> Orders =>
        new()
        {
            { "due", false },
            { "due", true },
            { "estimated_cost", false },
            { "actual_cost", true },
            { "vessel", false },
            { "vessel", true },
            { "reported_at", true },
            { "severity", false },
        };

    [Theory]
    [MemberData(nameof(Orders))]
    public async Task Going_on_from_a_record_gives_what_counting_from_the_start_gives_and_going_back_comes_back(
        string field,
        bool descending
    )
    {
        var request = Some(Defects, 100) with { Sort = [new SortBy(new(field), descending)] };
        var all = (await RowsAsync(request with { Window = new PageWindow.FromStart(0, 1200) }))
            .Records.Select(record => record.Key!)
            .ToArray();
        Assert.Equal(1200, all.Distinct().Count());

        var walked = new List<RecordKey>();
        ReadResult.Rows page,
            before = await RowsAsync(request);
        walked.AddRange(before.Records.Select(record => record.Key!));
        while (before.HasLater)
        {
            page = await RowsAsync(request with { Window = new PageWindow.After(before.Last!, 100) });
            var back = await RowsAsync(request with { Window = new PageWindow.Before(page.First!, 100) });
            Assert.Equal(before.Records.Select(record => record.Key), back.Records.Select(record => record.Key));
            Assert.True(back.HasLater);
            walked.AddRange(page.Records.Select(record => record.Key!));
            before = page;
        }

        Assert.Equal(all, walked);
        var far = await RowsAsync(request with { Window = new PageWindow.FromStart(1050, 100) });
        Assert.Equal(all[1050..1150], far.Records.Select(record => record.Key!));
    }

    [Fact]
    public async Task Blanks_come_last_in_both_directions()
    {
        foreach (var descending in new[] { false, true })
        {
            var values = (await RowsAsync(Some(Defects, 1200) with { Sort = [new SortBy(new("due"), descending)] }))
                .Records.Select(record => record[new("due")])
                .ToArray();
            Assert.All(values[^50..], Assert.Null);
            var known = values.OfType<DateOnly>().ToArray();
            Assert.Equal(descending ? known.OrderDescending() : known.Order(), known);
        }
    }

    [Fact]
    public async Task A_place_from_another_list_gives_nothing_and_no_fault()
    {
        var rows = await RowsAsync(Some(Defects) with { Window = new PageWindow.After(new PageCursor(["x", "y", "z"]), 10) });
        Assert.Empty(rows.Records);
    }

    [Fact]
    public async Task Filters_mean_what_they_say()
    {
        async Task<long> Count(Filter filter) => (await RowsAsync(Some(Defects) with { Filter = filter })).Count!.Number;
        var open = new Filter.OneOf(new("state"), ["open", "in work"]);
        var cheap = new Filter.Compare(new("estimated_cost"), Comparison.Less, 1000m);
        var blank = new Filter.OneOf(new("estimated_cost"), [null]);
        Assert.Equal(1200, await Count(open) + await Count(new Filter.Not(open)));
        Assert.Equal(1200, await Count(cheap) + await Count(new Filter.Not(cheap)));
        Assert.Equal(
            1200,
            await Count(cheap) + await Count(blank) + await Count(new Filter.Compare(new("estimated_cost"), Comparison.AtLeast, 1000m))
        );
        Assert.Equal(
            await Count(open) + await Count(blank),
            await Count(new Filter.Or([open, blank])) + await Count(new Filter.And([open, blank]))
        );
        Assert.Equal((0, 1200), (await Count(new Filter.Nothing()), await Count(new Filter.And([]))));
    }

    [Fact]
    public async Task Records_that_are_alike_are_found_by_whoever_sees_them_all()
    {
        var twins = Some(Defects, 500) with { Filter = new Filter.Alike([new("vessel"), new("due")]) };
        var rows = (await RowsAsync(twins)).Records;
        Assert.NotEmpty(rows);
        Assert.All(rows, record => Assert.NotNull(record[new("due")]));
        Assert.All(rows.GroupBy(record => (record[new("vessel")], record[new("due")])), group =>
            Assert.InRange(group.Count(), 2, int.MaxValue)
        );
        var others = (await RowsAsync(Some(Defects, 2000) with { Filter = new Filter.Not(twins.Filter) }))
            .Records.Where(record => record[new("due")] is not null)
            .ToArray();
        Assert.Equal(others.Length, others.DistinctBy(record => (record[new("vessel")], record[new("due")])).Count());

        var some = Grants.Of(
            ImmutableHashSet.Create("agent"),
            [Policy.On("agent", Defects.Id, Verbs.View) with { Condition = new Filter.OneOf(new("vessel"), ["BF-101"]) }]
        );
        Assert.IsType<ReadResult.Denied>(
            await fleet.Gate.ReadAsync(
                fleet.Catalogue,
                twins with
                {
                    Filter = new Filter.And([new Filter.Not(twins.Filter)]),
                },
                some,
                CancellationToken.None
            )
        );
    }

    [Fact]
    public async Task Values_are_counted_under_the_other_conditions_with_the_names_of_what_they_refer_to()
    {
        var groups = Assert
            .IsType<GroupResult.Groups>(
                await fleet.Gate.GroupAsync(
                    fleet.Catalogue,
                    new GroupRequest(Defects.Id, new("vessel"), new Filter.Everything(), "pump", 50),
                    Gates.All,
                    CancellationToken.None
                )
            )
            .Values;
        Assert.Contains(groups, group => group is { Value: "BF-101", Title: "Kittiwake" });
        Assert.Equal((await RowsAsync(Some(Defects) with { Search = "pump" })).Count!.Number, groups.Sum(group => group.Count));
    }

    [Fact]
    public async Task Without_a_right_nothing_is_read_counted_or_grouped()
    {
        var none = Grants.Of(ImmutableHashSet.Create("agent"), []);
        Assert.IsType<ReadResult.Denied>(await fleet.Gate.ReadAsync(fleet.Catalogue, Some(Defects), none, CancellationToken.None));
        Assert.IsType<GroupResult.Denied>(
            await fleet.Gate.GroupAsync(
                fleet.Catalogue,
                new GroupRequest(Defects.Id, new("state"), new Filter.Everything(), "", 9),
                none,
                CancellationToken.None
            )
        );
    }

    [Fact]
    public async Task A_related_records_name_needs_the_right_to_see_that_record()
    {
        var grants = Grants.Of(ImmutableHashSet.Create("agent"), [Policy.On("agent", Defects.Id, Verbs.View)]);
        var rows = await RowsAsync(Some(Defects) with { Titles = [new("vessel")] }, grants);
        Assert.All(rows.Records, record => Assert.Null(record.TitleOf(new("vessel"))));
        Assert.Equal(0, (await RowsAsync(Some(Defects) with { Search = "kittiwake" }, grants)).Count!.Number);
    }

    [Fact]
    public async Task A_hidden_field_is_not_read_and_cannot_be_found_out()
    {
        var grants = Grants.Of(
            ImmutableHashSet.Create("agent"),
            [Policy.On("agent", Defects.Id, Verbs.View) with { Readable = new FieldSet.Only([new("state"), new("title")]) }]
        );
        var rows = await RowsAsync(Some(Defects), grants);
        Assert.Equal(["title", "state"], rows.Records[0].Layout.Fields.Select(field => field.Value));
        Assert.Equal(0, (await RowsAsync(Some(Defects) with { Search = "Tuva" }, grants)).Count!.Number);
        foreach (
            var request in new[]
            {
                Some(Defects) with
                {
                    Sort = [new SortBy(new("estimated_cost"))],
                },
                Some(Defects) with
                {
                    Filter = new Filter.Compare(new("estimated_cost"), Comparison.More, 5m),
                },
            }
        )
        {
            Assert.IsType<ReadResult.Denied>(await fleet.Gate.ReadAsync(fleet.Catalogue, request, grants, CancellationToken.None));
        }
    }

    [Fact]
    public async Task A_record_condition_holds_for_rows_counts_and_groups()
    {
        var grants = Grants.Of(
            ImmutableHashSet.Create("agent"),
            [Policy.On("agent", Defects.Id, Verbs.View) with { Condition = new Filter.OneOf(new("vessel"), ["BF-101"]) }]
        );
        var rows = await RowsAsync(Some(Defects, 500), grants);
        Assert.All(rows.Records, record => Assert.Equal("BF-101", record[new("vessel")]));
        Assert.Equal(rows.Records.Length, rows.Count!.Number);
        var groups = Assert
            .IsType<GroupResult.Groups>(
                await fleet.Gate.GroupAsync(
                    fleet.Catalogue,
                    new GroupRequest(Defects.Id, new("vessel"), new Filter.Everything(), "", 9),
                    grants,
                    CancellationToken.None
                )
            )
            .Values;
        Assert.Equal("BF-101", Assert.Single(groups).Value);
    }

    [Fact]
    public async Task A_value_that_cannot_be_carried_is_said_to_be_unreadable_and_the_others_are_read()
    {
        await using var database = await TestDatabase.CreateAsync(
            """
            CREATE TABLE odd (id int PRIMARY KEY, amount numeric, near double precision, far date, at timestamptz, word text);
            INSERT INTO odd VALUES (1, 'NaN', 'Infinity', 'infinity', '-infinity', 'a'), (2, 1e40, 1e300, '0044-03-15 BC',
              '4713-01-01 BC', 'b'), (3, 0.1, 0.1, '2026-02-28', '2026-02-28T12:00Z', 'c');
            """
        );
        var catalogue = await database.DraftAsync();
        await using var gate = Gates.For(database);
        var rows = await Gates.RowsAsync(gate, catalogue, Some(catalogue.Named("odd")) with { Sort = [new SortBy(new("id"))] });
        Assert.All(rows.Records.Take(2), record =>
            Assert.All(new[] { "amount", "near", "far", "at" }, field => Assert.IsType<Unreadable>(record[new(field)]))
        );
        Assert.Equal(["a", "b", "c"], rows.Records.Select(record => record[new("word")]));
        Assert.Equal((0.1m, 0.1m), (rows.Records[2][new("amount")], rows.Records[2][new("near")]));
    }

    [Fact]
    public async Task A_source_that_stops_is_said_to_have_stopped_and_serves_again_by_itself()
    {
        await using var database = await TestDatabase.CreateAsync(
            "CREATE TABLE t (id int PRIMARY KEY, name text); INSERT INTO t VALUES (1, 'one')"
        );
        var catalogue = await database.DraftAsync();
        var request = Some(catalogue.Named("t"));
        await using var gate = Gates.For(database);
        await Gates.RowsAsync(gate, catalogue, request);
        await database.RenameAsync(database.Settings.Database + "_away");
        var results = new List<ReadResult>
        {
            await gate.ReadAsync(catalogue, request, Gates.All, CancellationToken.None),
            await gate.ReadAsync(catalogue, request, Gates.All, CancellationToken.None),
        };
        Assert.Equal(FailureReason.UnknownDatabase, Assert.IsType<ReadResult.Failed>(results[1]).Failure.Reason);
        Assert.IsType<ReadResult.Failed>(results[0]);
        await TestDatabase.ReturnAsync(database.Settings.Database);
        Assert.Single((await Gates.RowsAsync(gate, catalogue, request)).Records);
    }
}
