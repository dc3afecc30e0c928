using System.Collections.Immutable;
using System.Diagnostics;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Tests.Formulas;

/// <summary>Vessels with ports and defects, some of them with what no formula can carry.</summary>
public sealed class FleetWithDefects : IAsyncLifetime
{
    public TestDatabase Database { get; private set; } = null!;

    public DatasetCatalogue Catalogue { get; private set; } = null!;

    internal RecordGate Gate { get; private set; } = null!;

    public async Task InitializeAsync()
    {
        Database = await TestDatabase.CreateAsync(
            """
            CREATE TYPE duty AS ENUM ('in service', 'laid up', 'sold');
            CREATE TABLE ports (code text PRIMARY KEY, name text NOT NULL, depth numeric(6,2));
            CREATE TABLE vessels (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, name text NOT NULL, state duty, cars int NOT NULL,
              berths int, fare numeric(10,2), draught double precision, loose numeric, built date, seen timestamptz,
              port text REFERENCES ports, moved timestamp, id_code uuid);
            CREATE TABLE defects (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, vessel_id int NOT NULL REFERENCES vessels,
              title text NOT NULL, state text, cost numeric(9,2), due date);
            INSERT INTO ports SELECT 'P' || n, (ARRAY['Brackwater', 'Skerry Sound', 'Elmholm', 'Ness'])[n], n * 5.5 FROM
              generate_series(1, 4) n;
            INSERT INTO vessels (name, state, cars, berths, fare, draught, loose, built, seen, port, moved, id_code)
              SELECT 'Vessel ' || n, (ARRAY['in service', 'laid up', 'sold']::duty[])[n % 3 + 1], n * 7 % 100, nullif(n % 5, 0) * 10,
                n % 17 * 1.25, n / 10.0, n * 1.1, DATE '2000-01-01' + n * 37, TIMESTAMPTZ '2026-03-01 00:00+00' + n * interval '7 hours',
                'P' || nullif(n % 5, 0), TIMESTAMP '2026-03-29 01:30' + n * interval '1 hour',
                ('00000000-0000-0000-0000-' || lpad(n::text, 12, '0'))::uuid FROM generate_series(1, 300) n;
            INSERT INTO vessels (name, cars, fare, draught, loose, built, seen)
              VALUES ('Odd one', 5, 'NaN', 'Infinity', 1e40, 'infinity', '-infinity'), ('Old one', 6, NULL, 'NaN', 'NaN',
              '0044-03-15 BC', '0044-03-15 BC');
            INSERT INTO defects (vessel_id, title, state, cost, due)
              SELECT n % 120 + 1, 'Défaut ' || n, (ARRAY['open', 'closed'])[n % 2 + 1], nullif(n % 7, 0) * 12.5,
              DATE '2026-03-01' + n % 40 FROM generate_series(1, 500) n;
            ANALYZE;
            """
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

public sealed class FormulaReadTests(FleetWithDefects fleet) : IClassFixture<FleetWithDefects>
{
    private static readonly FieldName Value = new("value");

    private Dataset Vessels => fleet.Catalogue.Named("vessels");

    private ReadRequest Request(string? computed = null, string? holds = null, int limit = 20) =>
        new(Vessels.Id)
        {
            Fields = [new("id"), new("name"), new("cars")],
            Computed = computed is null ? [] : [new ComputedColumn(Value, computed)],
            Filter = holds is null ? new Filter.Everything() : new Filter.Holds(holds),
            Counted = true,
            Window = new PageWindow.FromStart(0, limit),
            Now = new DateTimeOffset(2026, 3, 14, 10, 0, 0, TimeSpan.Zero),
        };

    private Task<ReadResult.Rows> RowsAsync(ReadRequest request, Grants? grants = null) =>
        Gates.RowsAsync(fleet.Gate, fleet.Catalogue, request, grants);

    private async Task<object?> OneAsync(string formula, int id = 1) =>
        Assert.Single((await RowsAsync(Request(formula) with { Filter = new Filter.OneOf(new("id"), [(long)id]) })).Records)[Value];

    /// <summary>What people compute every day is computed by the server.</summary>
    [Theory]
    [InlineData("cars * fare")]
    [InlineData("ROUND(cars / berths * 100, 1)")]
    [InlineData("IFBLANK(cars / berths, 0) > 0.8")]
    [InlineData("1 - cars / berths")]
    [InlineData("name & \" (\" & state & \")\"")]
    [InlineData("TODAY() - built")]
    [InlineData("YEAR(built) & \"-\" & MONTH(seen)")]
    [InlineData("IF(cars > 50, \"large\", IF(cars > 20, \"middling\", \"small\"))")]
    [InlineData("SWITCH(state, \"sold\", 0, \"laid up\", 1, 2)")]
    [InlineData("EDATE(built, 12) < TODAY() + 7")]
    [InlineData("NOW() - seen > 1.5")]
    [InlineData("port.name & \": \" & LEFT(name, 8)")]
    [InlineData("UPPER(name) & LOWER(port.name)")]
    [InlineData("LABEL(state)")]
    [InlineData("TITLE(port)")]
    [InlineData("COUNT(defects)")]
    [InlineData("SUM(FILTER(defects, state = \"open\").cost)")]
    [InlineData("SUM(defects.cost) / COUNT(defects)")]
    [InlineData("ANY(defects, due < TODAY())")]
    [InlineData("MAX(defects.due)")]
    [InlineData("COUNT(FILTER(defects, cost > record.fare))")]
    [InlineData("SUM(port.vessels.cars)")]
    [InlineData("TEXTJOIN(\", \", TRUE, defects.title)")]
    [InlineData("COUNT(FILTER(port.vessels, COUNT(FILTER(defects, state = \"open\")) > 2))")]
    [InlineData("ROUND(loose * cars, 2)")]
    [InlineData("draught * 2")]
    [InlineData("STARTOF(built, \"month\")")]
    public async Task What_people_compute_every_day_the_server_computes_and_as_memory_does(string formula)
    {
        var here = await RowsAsync(Request(formula, limit: 400) with { Sort = [new SortBy(new("id"))] });
        Assert.All(here.Explanation, part => Assert.Null(part.InMemory));

        // SQRT is memory's: beside it, and within one condition with it, the same formula is computed there.
        var both = await RowsAsync(
            Request($"IF(SQRT(4) = 2 + 0 * SQRT(cars), ({formula}), ({formula}))", limit: 400) with
            {
                Sort = [new SortBy(new("id"))],
            }
        );
        Assert.All(both.Explanation, part => Assert.NotNull(part.InMemory));
        Assert.Equal(here.Records.Select(record => Shown(record[Value])), both.Records.Select(record => Shown(record[Value])));
        Assert.Equal(302, here.Records.Length);
    }

    // To 12 digits, as the law has it.
    private static object? Shown(object? value) =>
        value is decimal number ? Math.Round((double)number, 9).ToString("G12", System.Globalization.CultureInfo.InvariantCulture) : value;

    [Fact]
    public async Task What_the_server_cannot_compute_is_computed_in_memory_and_the_request_says_why()
    {
        var rows = await RowsAsync(
            Request("WORKDAY(built, 3)", "AND(SQRT(cars) > 9, state = \"sold\")") with
            {
                Sort = [new SortBy(new("name"))],
            }
        );
        Assert.Equal(
            [
                ("SQRT(cars) > 9", FormulaUse.Narrow, "PostgreSQL has no SQRT that gives the same"),
                ("state = \"sold\"", FormulaUse.Narrow, null),
                ("WORKDAY(built, 3)", FormulaUse.Show, "PostgreSQL has no WORKDAY that gives the same"),
            ],
            rows.Explanation.Select(part => (part.Formula, part.Use, part.InMemory))
        );
        Assert.All(rows.Records, record => Assert.True((long)record[new("cars")]! > 81));
        Assert.Equal(
            rows.Count!.Number,
            await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM vessels WHERE cars > 81 AND state = 'sold'")
        );
    }

    [Theory]
    [InlineData("cars * 2 > 60", "cars / 7", false)]
    [InlineData("COUNT(defects) > 3", "SUM(defects.cost)", false)]
    [InlineData("port.name <> \"Ness\"", "port.name", false)]
    [InlineData("SQRT(cars) > 5", "cars / 7", true)]
    [InlineData("cars * 2 > 60", "SQRT(cars)", true)]
    [InlineData("LEN(PROPER(name)) > 9", "MEDIAN(defects.cost)", true)]
    [InlineData("OR(SQRT(cars) > 9, state = \"laid up\")", "PROPER(port.name)", true)]
    public async Task Pages_joined_together_are_the_whole_list_forwards_and_backwards(string holds, string sort, bool inMemory)
    {
        foreach (var descending in new[] { false, true })
        {
            var request = Request(sort, holds, limit: 1000) with { Sort = [new SortBy(Value, descending)] };
            var all = await RowsAsync(request);
            Assert.Equal(inMemory, all.Explanation.Any(part => part.InMemory is not null));
            Assert.Equal(all.Records.Length, all.Count!.Number);
            Assert.InRange(all.Records.Length, 30, 290);
            Assert.Equal(
                all.Records.Select(record => record[Value]).OrderBy(value => value is null).Select(value => value is null),
                all.Records.Select(record => record[Value] is null)
            );

            var forwards = new List<object?>();
            PageWindow window = new PageWindow.FromStart(0, 23);
            ReadResult.Rows page;
            do
            {
                page = await RowsAsync(request with { Window = window });
                Assert.Equal(all.Count, page.Count);
                forwards.AddRange(page.Records.Select(record => record[new("id")]));
                window = new PageWindow.After(page.Last!, 23);
            } while (page.HasLater);
            Assert.Equal(all.Records.Select(record => record[new("id")]), forwards);

            var backwards = page.Records.Select(record => record[new("id")]).ToList();
            while (page.HasEarlier && page.First is { } first)
            {
                page = await RowsAsync(request with { Window = new PageWindow.Before(first, 23) });
                backwards.InsertRange(0, page.Records.Select(record => record[new("id")]));
            }

            Assert.Equal(forwards, backwards);
            var third = await RowsAsync(request with { Window = new PageWindow.FromStart(20, 5) });
            Assert.Equal(forwards.Skip(20).Take(5), third.Records.Select(record => record[new("id")]));
        }
    }

    [Theory]
    [InlineData("IF(state <> \"sold\", cars - berths) > 1")]
    [InlineData("3 < IF(cars > 5, cars)")]
    [InlineData("NOT(IF(cars > 5, cars) <= 40)")]
    [InlineData("IF(cars > 5, cars) >= IF(berths > 2, berths)")]
    [InlineData("IF(ISBLANK(port.name), BLANK, cars) < 30")]
    [InlineData("state <> \"sold\"")]
    [InlineData("AND(name <> \"Tern 7\", NOT(state <> \"laid up\"))")]
    [InlineData("OR(cars <> 12, built <> DATE(2001, 2, 3))")]
    public async Task A_condition_lets_the_same_records_through_wherever_it_is_decided(string holds)
    {
        var here = await RowsAsync(Request("id", holds, limit: 1000));
        var inMemory = await RowsAsync(Request("id", $"OR({holds}, SQRT(cars) < 0)", limit: 1000));
        Assert.All(here.Explanation, part => Assert.Null(part.InMemory));
        Assert.Contains(inMemory.Explanation, part => part.InMemory is not null);
        Assert.NotEmpty(here.Records);
        Assert.Equal(inMemory.Records.Select(record => record[new("id")]), here.Records.Select(record => record[new("id")]));
    }

    [Theory]
    [InlineData("\"no. \" & id", "no. 7")]
    [InlineData("PROPER(\"no. \" & id)", "no. 7")]
    public async Task A_computed_text_is_searched_wherever_it_is_computed(string formula, string search)
    {
        var rows = await RowsAsync(Request(formula, limit: 1000) with { Search = search });
        Assert.Equal(
            await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM vessels WHERE id::text LIKE '%7%' OR name LIKE '%7%'"),
            rows.Count!.Number
        );
        Assert.All(rows.Records, record => Assert.Contains("7", $"{record[new("id")]} {record[new("name")]}", StringComparison.Ordinal));
        Assert.Contains(rows.Explanation, part => part.Use is FormulaUse.Search);
    }

    [Theory]
    [InlineData("IF(cars > 50, \"large\", \"small\")")]
    [InlineData("IF(SQRT(cars * cars) > 50, \"large\", \"small\")")]
    public async Task Records_are_counted_by_a_formulas_values(string formula)
    {
        var request = new GroupRequest(Vessels.Id, Value, new Filter.Holds("cars < 90"), "", 10)
        {
            Computed = [new ComputedColumn(Value, formula)],
        };
        var groups = Assert.IsType<GroupResult.Groups>(
            await fleet.Gate.GroupAsync(fleet.Catalogue, request, Gates.All, CancellationToken.None)
        );
        var large = await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM vessels WHERE cars > 50 AND cars < 90");
        var small = await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM vessels WHERE cars <= 50");
        Assert.Equal([("small", small), ("large", large)], groups.Values.Select(group => ((string)group.Value!, group.Count)));
    }

    [Theory]
    [InlineData("SUM(defects.cost)", 1)]
    [InlineData("COUNT(port.vessels.defects)", 1)]
    [InlineData("MEDIAN(defects.cost)", 2)]
    [InlineData("MEDIAN(port.vessels.defects.cost)", 3)]
    public async Task Totals_take_one_statement_for_all_rows_and_in_memory_one_more_for_each_list(string formula, int statements)
    {
        var seen = 0;

        // Tests on other databases run beside this one, on other threads.
        using var listener = new ActivityListener
        {
            ShouldListenTo = source => source.Name == "Npgsql",
            Sample = (ref ActivityCreationOptions<ActivityContext> _) => ActivitySamplingResult.AllData,
            ActivityStopped = activity =>
                _ = fleet.Database.Settings.Database.Equals(activity.GetTagItem("db.namespace") ?? activity.GetTagItem("db.name"))
                    ? Interlocked.Increment(ref seen)
                    : 0,
        };
        ActivitySource.AddActivityListener(listener);
        var rows = await RowsAsync(Request(formula, limit: 100) with { Counted = false });
        Assert.Equal(100, rows.Records.Length);
        Assert.Equal(statements, seen);
    }

    [Theory]
    [InlineData("SUM(defects.cost) / COUNT(defects)", 1)]
    [InlineData("SUM(FILTER(defects, state = \"open\").cost) + COUNT(FILTER(defects, state = \"open\"))", 1)]
    [InlineData("COUNT(port.vessels.defects) + SUM(port.vessels.defects.cost)", 1)]
    [InlineData("COUNT(defects) - COUNT(FILTER(defects, state = \"open\"))", 2)]
    public async Task Totals_over_one_list_share_one_sub_query(string formula, int groups)
    {
        var explained = await fleet.Gate.ExplainAsync(fleet.Catalogue, Request(formula), Gates.All, run: false, CancellationToken.None);
        Assert.Equal(groups, Assert.IsType<ExplainResult.Plan>(explained).Statement.Split("GROUP BY").Length - 1);
    }

    [Theory]
    [InlineData("fare", null)]
    [InlineData("fare > 1", false)]
    [InlineData("fare < 1", false)]
    [InlineData("draught + 1", null)]
    [InlineData("loose * 2", null)]
    [InlineData("built", null)]
    [InlineData("built > TODAY()", false)]
    [InlineData("YEAR(seen)", null)]
    [InlineData("seen < NOW()", false)]
    [InlineData("ISBLANK(built)", true)]
    [InlineData("SQRT(fare)", null)]
    [InlineData("IFBLANK(WORKDAY(built, 1), DATE(2000, 1, 1)) = DATE(2000, 1, 1)", true)]
    public async Task What_a_formula_cannot_carry_is_blank_whoever_computes_it(string formula, object? expected)
    {
        Assert.Equal(expected, await OneAsync(formula, 301));
        Assert.Equal(expected, await OneAsync(formula, 302));
        if (expected is bool truth)
        {
            var found = await RowsAsync(Request(null, $"AND(id > 300, {formula})"));
            Assert.Equal(truth ? 2 : 0, found.Records.Length);
        }
    }

    [Theory]
    [InlineData("HOUR(moved)", 2)]
    [InlineData("id_code & \"\"", "00000000-0000-0000-0000-000000000001")]
    public async Task A_local_time_is_one_in_the_workspaces_zone_and_an_identifier_a_text(string formula, object expected) =>
        Assert.Equal(expected is int number ? (decimal)number : expected, await OneAsync(formula));

    [Theory]
    [InlineData("carz + 1", "“value”: Unknown name “carz”. Did you mean “cars”?")]
    [InlineData("defects", "“value”: the formula gives a list of defect; a column shows single values.")]
    [InlineData("1 +", "“value”:")]
    public async Task A_wrong_formula_is_answered_with_what_is_wrong(string formula, string problem) =>
        Assert.StartsWith(
            problem,
            Assert
                .IsType<ReadResult.Invalid>(
                    await fleet.Gate.ReadAsync(fleet.Catalogue, Request(formula), Gates.All, CancellationToken.None)
                )
                .Problem,
            StringComparison.Ordinal
        );

    [Fact]
    public async Task A_condition_must_be_true_or_false()
    {
        var result = await fleet.Gate.ReadAsync(fleet.Catalogue, Request(null, "cars + 1"), Gates.All, CancellationToken.None);
        Assert.Contains("should be true or false", Assert.IsType<ReadResult.Invalid>(result).Problem, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_a_person_may_not_read_has_no_name_and_totals_leave_out_records_that_are_not_theirs()
    {
        var defects = fleet.Catalogue.Named("defects");
        var everyField = new FieldSet.Only([.. Vessels.Fields.Select(field => field.Name).Where(name => name.Value != "fare")]);
        Policy[] policies =
        [
            new("clerk", Vessels.Id, Verbs.View, new Filter.Everything(), everyField, everyField),
            new("clerk", defects.Id, Verbs.View, new Filter.OneOf(new("state"), ["open"]), new FieldSet.All(), new FieldSet.All()),
        ];
        var grants = Grants.Of(new HashSet<string> { "clerk" }, policies);
        foreach (var formula in new[] { "fare", "SUM(port.vessels.fare)", "port.name" })
        {
            Assert.Contains(
                "Unknown name",
                Assert
                    .IsType<ReadResult.Invalid>(
                        await fleet.Gate.ReadAsync(fleet.Catalogue, Request(formula), grants, CancellationToken.None)
                    )
                    .Problem,
                StringComparison.Ordinal
            );
        }

        foreach (var formula in new[] { "COUNT(defects)", "COUNT(defects) + 0 * SQRT(4 + cars)" })
        {
            var rows = await RowsAsync(Request(formula, limit: 400), grants);
            Assert.Equal(
                await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM defects WHERE state = 'open'"),
                rows.Records.Sum(record => (decimal)record[Value]!)
            );
        }
    }

    [Fact]
    public async Task A_condition_in_plain_terms_is_one_that_an_index_serves()
    {
        await fleet.Database.RunAsync(
            "CREATE TABLE IF NOT EXISTS many (id int PRIMARY KEY, due date, code text); INSERT INTO many "
                + "SELECT n, DATE '2020-01-01' + n % 3000, 'C' || n FROM generate_series(1, 20000) n; CREATE INDEX ON many (due); "
                + "CREATE INDEX ON many (code); ANALYZE many"
        );
        var many = (await fleet.Database.DraftAsync()).Named("many");
        foreach (
            var (holds, index) in new[]
            {
                ("due < DATE(2020, 1, 3)", "many_due_idx"),
                ("code = \"C77\"", "many_code_idx"),
                ("id = 5", "many_pkey"),
                ("id >= 19999", "many_pkey"),
            }
        )
        {
            var (formulas, problem) = Sql.RequestFormulas.Check(
                new RequestNames(DatasetShapes.Of(new DatasetCatalogue([many]), Gates.All), SignedIn.Names(null), SignedIn.Given(null)),
                FormulaWorld.Context,
                many,
                [],
                new Filter.Holds(holds)
            );
            Assert.Null(problem);
            var sql = new Sql.SqlText(Sql.SqlEngines.Of("postgres"));
            var plan = new Sql.SelectPlan(Sql.RequestScope.Of(new DatasetCatalogue([many]), Gates.All, formulas), many, sql, "t");
            sql.Add($"EXPLAIN SELECT 1{plan.From(new Filter.Holds(holds), "")}");
            await using var source = (Sql.SqlPool)SourceConnections.Open(fleet.Database.Settings);
            await using var connection = await source.OpenConnectionAsync(CancellationToken.None);
            await using var command = sql.Command(connection);
            await using var reader = await command.ExecuteReaderAsync();
            var lines = ImmutableArray.CreateBuilder<string>();
            while (await reader.ReadAsync())
            {
                lines.Add(reader.GetString(0));
            }

            Assert.Contains(lines, line => line.Contains(index, StringComparison.Ordinal));
        }
    }
}
