using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>Queries of builders, and joins, as datasets: the same over all engines.</summary>
public sealed class QueryTests
{
    private static readonly string[] Tables =
    [
        "CREATE TABLE ships (hull varchar(10) PRIMARY KEY, name varchar(40) NOT NULL, tons int NOT NULL)",
        "INSERT INTO ships VALUES ('BF-1', 'Kittiwake', 900), ('BF-2', 'Gannet', 400), ('BF-3', 'Auk', 700)",
        "CREATE TABLE bills (id int PRIMARY KEY, hull varchar(10), amount decimal(10,2) NOT NULL, billed date NOT NULL)",
        "INSERT INTO bills VALUES (1, 'BF-2', 30.50, '2026-01-05'), (2, 'BF-1', 10, '2026-02-01'), (3, 'BF-1', 25.25, '2026-03-09'), "
            + "(4, 'BF-9', 7, '2026-03-10')",
    ];

    private static readonly FormulaContext Now = new(new DateTimeOffset(2026, 3, 14, 9, 0, 0, TimeSpan.Zero), TimeZoneInfo.Utc);

    private static ImmutableDictionary<string, object?> Given(params (string Name, object? Value)[] values) =>
        values.ToImmutableDictionary(pair => pair.Name, pair => pair.Value, StringComparer.OrdinalIgnoreCase);

    private static async Task<(DatasetCatalogue Catalogue, Dataset Dataset)> MadeAsync(
        EngineSource source,
        DatasetQuery query,
        params ImmutableArray<string> key
    )
    {
        var shape = await QueryTrying.ShapeAsync(source.Settings, query, Given(), Gates.All, Now, CancellationToken.None);
        var columns = shape is QueryShape.Columns known ? known.All : throw new InvalidOperationException(shape.ToString());
        var dataset = DatasetMaking.OfQuery(
            source.Source,
            new DatasetId(Guid.NewGuid()),
            "By ship",
            query,
            columns,
            key,
            null,
            Gates.Format
        );
        return (new DatasetCatalogue([dataset]), dataset);
    }

    [Theory]
    [MemberData(nameof(EngineSource.Kinds), MemberType = typeof(EngineSource))]
    public async Task A_query_is_filtered_sorted_paged_counted_and_totalled_as_a_table_is(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Tables);
        var query = new DatasetQuery(
            "SELECT s.hull, s.name, count(b.id) AS bills, sum(b.amount) AS owed, max(b.billed) AS last_billed\n"
                + "FROM ships s LEFT JOIN bills b ON b.hull = s.hull AND b.billed >= ${since} -- only new ones; all of them\n"
                + "WHERE s.tons > ${least * 100} GROUP BY s.hull, s.name;",
            [
                new QueryParameter(new("since"), new FieldType.Date(), "2026-01-01"),
                new QueryParameter(new("least"), new FieldType.Integer(), "=1 + 1"),
            ]
        );
        var (catalogue, dataset) = await MadeAsync(source, query, "hull");
        Assert.Equal(["hull", "name", "bills", "owed", "last_billed"], dataset.Fields.Select(field => field.Name.Value));
        var request = new ReadRequest(dataset.Id)
        {
            Fields = [.. dataset.Fields.Select(field => field.Name)],
            Sort = [new SortBy(new("name"))],
            Counted = true,
        };
        var rows = await Gates.RowsAsync(source.Gate, catalogue, request);
        string Said(ReadResult.Rows read) =>
            string.Join(
                "; ",
                read.Records.Select(record =>
                    string.Create(CultureInfo.InvariantCulture, $"{record[new("name")]} {record[new("bills")]} {record[new("owed")]:0.00}")
                )
            );
        Assert.Equal("Auk 0 ; Gannet 1 30.50; Kittiwake 2 35.25", Said(rows));
        Assert.Equal(3, rows.Count!.Number);
        var later = request with { Filter = new Filter.Given(Given(("since", new DateOnly(2026, 3, 1)), ("least", 5m))) };
        Assert.Equal("Auk 0 ; Kittiwake 1 25.25", Said(await Gates.RowsAsync(source.Gate, catalogue, later)));
        var narrowed = later with { Filter = Filter.Both(later.Filter, new Filter.Compare(new("bills"), Comparison.AtLeast, 1L)) };
        Assert.Equal("Kittiwake 1 25.25", Said(await Gates.RowsAsync(source.Gate, catalogue, narrowed)));
        var page = request with { Window = new PageWindow.FromStart(1, 1) };
        Assert.Equal("Gannet 1 30.50", Said(await Gates.RowsAsync(source.Gate, catalogue, page)));
        var found = Assert.IsType<TotalResult.Values>(
            await source.Gate.TotalAsync(
                catalogue,
                new TotalRequest(dataset.Id, [new FieldTotal(new("bills"), Total.Sum)], new Filter.Everything(), ""),
                Gates.All,
                CancellationToken.None
            )
        );
        Assert.Equal(3m, found.Numbers[0]);
        var opened = await Gates.RowsAsync(
            source.Gate,
            catalogue,
            ReadRequest.Of(dataset, rows.Records[1].Key!) with
            {
                Fields = [new("name")],
            }
        );
        Assert.Equal("Gannet", Assert.Single(opened.Records)[new("name")]);
    }

    [Theory]
    [MemberData(nameof(EngineSource.Kinds), MemberType = typeof(EngineSource))]
    public async Task A_value_is_never_text_of_the_query(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Tables);
        var query = new DatasetQuery(
            "SELECT hull, name FROM ships WHERE name = ${name}",
            [new QueryParameter(new("name"), new FieldType.Text(), "Auk")]
        );
        var (catalogue, dataset) = await MadeAsync(source, query);
        foreach (var value in (string[])["x' OR '1'='1", "'; DELETE FROM ships; --", "Auk\\", "\" OR 1=1", "$1", "@p1"])
        {
            var request = new ReadRequest(dataset.Id) { Fields = [new("name")], Filter = new Filter.Given(Given(("name", value))) };
            Assert.Empty((await Gates.RowsAsync(source.Gate, catalogue, request)).Records);
        }

        Assert.Equal("3", await source.ScalarAsync("SELECT count(*) FROM ships"));
        Assert.Single((await Gates.RowsAsync(source.Gate, catalogue, new ReadRequest(dataset.Id))).Records);
    }

    [Theory]
    [MemberData(nameof(EngineSource.Kinds), MemberType = typeof(EngineSource))]
    public async Task A_query_that_would_change_data_changes_nothing(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Tables);
        async Task<string> TriedAsync(string text) =>
            new DatasetQuery(text, []) is var query && query.Problem(SignedIn.Names(null)) is { } problem ? problem
            : await QueryTrying.ShapeAsync(source.Settings, query, Given(), Gates.All, Now, CancellationToken.None)
                is QueryShape.Failed failed
                ? failed.Message
            : "run";
        Assert.Equal("A query begins with SELECT or WITH.", await TriedAsync("DELETE FROM ships"));
        Assert.Equal("There are two statements: a query is one that reads.", await TriedAsync("SELECT 1; DELETE FROM ships"));
        Assert.Equal(
            "A bracket is closed that was not opened.",
            await TriedAsync("SELECT 1) q; DELETE FROM ships; SELECT * FROM (SELECT 1")
        );
        Assert.NotEqual("run", await TriedAsync("WITH gone AS (DELETE FROM ships RETURNING hull) SELECT * FROM gone"));
        Assert.Contains("nowhere", await TriedAsync("SELECT * FROM nowhere"), StringComparison.OrdinalIgnoreCase);
        Assert.Contains("hull", await TriedAsync("SELECT hull, hull FROM ships"), StringComparison.OrdinalIgnoreCase);
        Assert.Equal("3", await source.ScalarAsync("SELECT count(*) FROM ships"));
    }

    [Theory]
    [InlineData("postgres", "postgres")]
    [InlineData("postgres", "sqlite")]
    [InlineData("sqlite", "mysql")]
    public async Task A_join_of_two_gives_the_same_within_one_source_and_of_two(string lefts, string rights)
    {
        await using var together = await EngineSource.CreateAsync(lefts, Tables);
        await using var one = await EngineSource.CreateAsync(lefts, [.. Tables[2..]]);
        await using var other = await EngineSource.CreateAsync(rights, [.. Tables[..2]]);
        async Task<string> AnswerAsync(bool onlyMatching, params EngineSource[] sources)
        {
            var drafted = new List<Dataset>();
            foreach (var source in sources)
            {
                drafted.AddRange((await source.DraftAsync()).All);
            }

            var (bills, ships) = (drafted.First(d => d.Table.Name == "bills"), drafted.First(d => d.Table.Name == "ships"));
            var fields = DatasetMaking.Fields(
                bills,
                ships,
                [
                    (false, new("id")),
                    (false, new("hull")),
                    (true, new("hull")),
                    (true, new("name")),
                    (true, new("tons")),
                    (false, new("amount")),
                ]
            );
            var join = new DatasetJoin(bills.Id, ships.Id, [new JoinPair(new("hull"), new("hull"))], onlyMatching, fields);
            var dataset = DatasetMaking.OfJoin(new DatasetId(Guid.NewGuid()), "Bills of ships", join, bills, ships, null, Gates.Format);
            Assert.Equal(sources.Length > 1, dataset.IsFetched);

            // A join may be of a join.
            var weighed = DatasetMaking.OfJoin(
                new DatasetId(Guid.NewGuid()),
                "Bills and tons",
                new DatasetJoin(
                    dataset.Id,
                    ships.Id,
                    [new JoinPair(new("hull"), new("hull"))],
                    OnlyMatching: true,
                    DatasetMaking.Fields(dataset, ships, [(false, new("id")), (false, new("name")), (true, new("tons"))])
                ),
                dataset,
                ships,
                null,
                Gates.Format
            );
            Assert.Equal(dataset.IsFetched, weighed.IsFetched);
            var catalogue = new DatasetCatalogue([bills, ships, dataset, weighed]);
            Assert.True(DatasetMaking.IsMadeOf(catalogue, weighed.Id, bills.Id));
            Assert.False(DatasetMaking.IsMadeOf(catalogue, dataset.Id, weighed.Id));
            var gate = Gates.For(new Several(sources));
            var request = new ReadRequest(dataset.Id)
            {
                Fields = [.. dataset.Fields.Select(field => field.Name)],
                Sort = [new SortBy(new("tons"), Descending: true), new SortBy(new("id"))],
                Counted = true,
            };
            var all = await Gates.RowsAsync(gate, catalogue, request);
            var some = await Gates.RowsAsync(gate, catalogue, request with { Filter = new Filter.OneOf(new("hull"), ["BF-1"]) });
            var big = await Gates.RowsAsync(gate, catalogue, request with { Filter = new Filter.Holds("tons > 500") });
            var found = await Gates.RowsAsync(gate, catalogue, request with { Search = "gannet" });
            var alike = await Gates.RowsAsync(
                gate,
                catalogue,
                request with
                {
                    Filter = new Filter.And([new Filter.Alike([new("name")]), new Filter.Compare(new("amount"), Comparison.More, 12m)]),
                }
            );
            string Said(ReadResult.Rows rows) =>
                $"{rows.Count!.Number}: "
                + string.Join(
                    "; ",
                    rows.Records.Select(record =>
                        string.Join(",", request.Fields.Select(name => string.Create(CultureInfo.InvariantCulture, $"{record[name]:0.##}")))
                    )
                );
            var again = await Gates.RowsAsync(
                gate,
                catalogue,
                new ReadRequest(weighed.Id) { Fields = [new("id"), new("name"), new("tons")], Sort = [new SortBy(new("id"))] }
            );
            var names = again.Records.Select(record => $"{record[new("id")]} {record[new("name")]} {record[new("tons")]}");
            return string.Join("\n", Said(all), Said(some), Said(big), Said(found), Said(alike), string.Join("; ", names));
        }

        foreach (var onlyMatching in (bool[])[true, false])
        {
            var expected = await AnswerAsync(onlyMatching, together);
            Assert.Equal(expected, await AnswerAsync(onlyMatching, one, other));
            Assert.StartsWith(onlyMatching ? "3: " : "4: ", expected, StringComparison.Ordinal);
            Assert.Equal(3, expected[(expected.LastIndexOf('\n') + 1)..].Split("; ").Length);
        }
    }

    private sealed class Several(params EngineSource[] sources) : ISourceDirectory
    {
        public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
            ValueTask.FromResult(sources.FirstOrDefault(one => one.Source == source)?.Settings);
    }

    [Theory]
    [MemberData(nameof(EngineSource.Kinds), MemberType = typeof(EngineSource))]
    public async Task A_statement_is_tried_without_a_trace_and_run_by_whoever_may(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Tables);
        var query = new DatasetQuery(
            "UPDATE bills SET amount = amount + ${more} WHERE hull = ${hull};",
            [new QueryParameter(new("more"), new FieldType.Number(), "1"), new QueryParameter(new("hull"), new FieldType.Text(), null)]
        )
        {
            IsStatement = true,
        };
        var statement = DatasetMaking.OfStatement(source.Source, new DatasetId(Guid.NewGuid()), "Raise bills", query);
        var catalogue = new DatasetCatalogue([.. (await source.DraftAsync()).All, statement]);
        var bills = catalogue.Named("bills");
        async Task<decimal> OwedAsync() =>
            Assert
                .IsType<TotalResult.Values>(
                    await source.Gate.TotalAsync(
                        catalogue,
                        new TotalRequest(bills.Id, [new FieldTotal(new("amount"), Total.Sum)], new Filter.Everything(), ""),
                        Gates.All,
                        CancellationToken.None
                    )
                )
                .Numbers[0]!.Value;
        Task<StatementTrial> TryAsync(DatasetQuery text, bool run) =>
            QueryTrying.TryAsync(source.Settings, text, Given(("hull", "BF-1")), Gates.All, Now, run, CancellationToken.None);
        Task<StatementResult> RunAsync(Grants grants, params (string, object?)[] values) =>
            source.Gate.RunAsync(catalogue, statement.Id, Gates.Values(values), grants, CancellationToken.None);

        Assert.Null(Assert.IsType<StatementTrial.Sound>(await TryAsync(query, run: false)).Rows);
        Assert.Equal(2, Assert.IsType<StatementTrial.Sound>(await TryAsync(query, run: true)).Rows);
        var wrong = new DatasetQuery("UPDATE bills SET nothing = 1 WHERE id = 1", []) { IsStatement = true };
        Assert.Contains(
            "nothing",
            Assert.IsType<StatementTrial.Failed>(await TryAsync(wrong, run: false)).Message,
            StringComparison.Ordinal
        );
        Assert.Equal(72.75m, await OwedAsync());

        Assert.Equal(new StatementResult.Done(2), await RunAsync(Gates.All, ("hull", "BF-1"), ("more", 2.5m)));
        Assert.Equal(77.75m, await OwedAsync());
        Assert.Equal(new StatementResult.Done(0), await RunAsync(Gates.All, ("hull", "x' OR 1 = 1 --")));
        Assert.IsType<StatementResult.Denied>(await RunAsync(Grants.ViewEverything, ("hull", "BF-1")));
        Assert.IsType<StatementResult.Denied>(
            await RunAsync(new Grants(Rights.Everywhere(Grant.Everything), null) { ReadOnlyBecause = "Only a look." }, ("hull", "BF-1"))
        );
        Assert.Equal(77.75m, await OwedAsync());
        Assert.IsType<ReadResult.Denied>(
            await source.Gate.ReadAsync(catalogue, new ReadRequest(statement.Id), Gates.All, CancellationToken.None)
        );
    }
}
