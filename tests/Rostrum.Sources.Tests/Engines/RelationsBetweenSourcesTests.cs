using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>
/// A relation between two sources gives what the same relation gives within one: every request is made twice, of bills and ships in one
/// database, and of the same in two of different kinds.
/// </summary>
public sealed class RelationsBetweenSourcesTests
{
    private static readonly string[] Ships =
    [
        "CREATE TABLE ships (hull varchar(10) PRIMARY KEY, name varchar(40) NOT NULL, tons int NOT NULL)",
        "INSERT INTO ships VALUES ('BF-1', 'Kittiwake', 900), ('BF-2', 'Gannet', 400), ('BF-3', 'Auk', 700), ('BF-4', 'Tern', 100)",
    ];

    private static readonly string[] Bills =
    [
        "CREATE TABLE bills (id int PRIMARY KEY, hull varchar(10), amount int NOT NULL, note varchar(40))",
        "INSERT INTO bills VALUES (1, 'BF-2', 30, 'late'), (2, 'BF-1', 10, NULL), (3, 'BF-1', 25, 'kittiwake paid'), (4, NULL, 5, NULL), "
            + "(5, 'BF-9', 7, 'unknown ship'), (6, 'BF-3', 40, NULL)",
    ];

    private sealed record Sides(DatasetCatalogue Catalogue, RecordGate Gate, Func<string, Dataset> Dataset);

    public static TheoryData<string, string> Pairs { get; } =
        new()
        {
            { "postgres", "sqlite" },
            { "sqlite", "mysql" },
            { "mysql", "postgres" },
        };

    [Theory]
    [MemberData(nameof(Pairs))]
    public async Task What_a_relation_gives_is_the_same_within_one_source_and_between_two(string bills, string ships)
    {
        await using var together = await EngineSource.CreateAsync(bills, [.. Ships, .. Bills]);
        await using var apartBills = await EngineSource.CreateAsync(bills, Bills);
        await using var apartShips = await EngineSource.CreateAsync(ships, Ships);
        var one = await SidesAsync(new Several(together), together);
        var two = await SidesAsync(new Several(apartBills, apartShips), apartBills, apartShips);
        Assert.True(two.Catalogue.HasRelationsApart);
        Assert.False(one.Catalogue.HasRelationsApart);
        foreach (var (name, make) in Requests)
        {
            var (expected, actual) = (await AnswerAsync(one, make), await AnswerAsync(two, make));
            Assert.True(expected == actual, $"{name}: {expected} ≠ {actual}");
            Assert.DoesNotContain("Failed", actual, StringComparison.Ordinal);
        }
    }

    [Theory]
    [MemberData(nameof(Pairs))]
    public async Task A_policy_that_asks_after_a_record_of_another_source_lets_the_same_through(string bills, string ships)
    {
        await using var together = await EngineSource.CreateAsync(bills, [.. Ships, .. Bills]);
        await using var apartBills = await EngineSource.CreateAsync(bills, Bills);
        await using var apartShips = await EngineSource.CreateAsync(ships, Ships);
        var one = await SidesAsync(new Several(together), together);
        var two = await SidesAsync(new Several(apartBills, apartShips), apartBills, apartShips);
        foreach (
            var condition in (string[])
                [
                    "ship.tons > 500",
                    "ship.name = \"Gannet\"",
                    "NOT(ship.tons > 500)",
                    "ISBLANK(ship)",
                    "AND(ship.tons > 500, amount > 20)",
                    "ship.tons > 5000",
                ]
        )
        {
            // The person may see no ships: the condition is its owner's.
            string Answer(ReadResult result) =>
                result is ReadResult.Rows rows
                    ? string.Join(",", rows.Records.Select(row => string.Join("+", row.Key!.Values)))
                    : $"{result}";
            async Task<string> Seen(Sides sides)
            {
                var dataset = sides.Dataset("bills");
                var policy = Policy.On("clerk", dataset.Id, Verbs.All) with { Condition = new Filter.Holds(condition) };
                var grants = Grants.Of(new HashSet<string> { "clerk" }, [policy]);
                var read = await sides.Gate.ReadAsync(
                    sides.Catalogue,
                    new ReadRequest(dataset.Id) { Fields = [new("amount")] },
                    grants,
                    CancellationToken.None
                );
                var saved = new List<string>();
                for (var id = 1L; id <= 6; id++)
                {
                    var change = new Change.Update(
                        new RecordKey([id]),
                        FieldValues.None,
                        new FieldValues([KeyValuePair.Create(new FieldName("note"), (object?)"seen")])
                    );
                    var result = await sides.Gate.SaveAsync(
                        sides.Catalogue,
                        new ChangeSet(dataset.Id, [change]),
                        grants,
                        CancellationToken.None
                    );
                    saved.Add(result.GetType().Name);
                }

                return $"{Answer(read)} {string.Join(",", saved)}";
            }

            Assert.Equal(await Seen(one), await Seen(two));
        }
    }

    [Fact]
    public async Task Titles_of_another_source_take_one_statement_more_and_not_one_a_row()
    {
        await using var apartBills = await EngineSource.CreateAsync("postgres", Bills);
        await using var apartShips = await EngineSource.CreateAsync("postgres", Ships);
        var sides = await SidesAsync(new Several(apartBills, apartShips), apartBills, apartShips);
        var dataset = sides.Dataset("bills");
        var request = new ReadRequest(dataset.Id) { Fields = [new("hull")], Titles = [new("ship")] };
        var costs = new List<SourceCall>();
        var rows = Assert.IsType<ReadResult.Rows>(
            await sides.Gate.Watched(costs.Add).ReadAsync(sides.Catalogue, request, Grants.ViewEverything, CancellationToken.None)
        );
        Assert.Equal(2, costs.Count);
        Assert.Contains(rows.Records, record => record.TitleOf(new("ship")) == "Kittiwake");
    }

    [Fact]
    public async Task Rows_are_shown_without_titles_where_the_other_source_does_not_answer()
    {
        await using var bills = await EngineSource.CreateAsync("postgres", Bills);
        var ships = await EngineSource.CreateAsync("postgres", Ships);
        var sides = await SidesAsync(new Several(bills, ships), bills, ships);
        await ships.DisposeAsync();
        var dataset = sides.Dataset("bills");
        var request = new ReadRequest(dataset.Id) { Fields = [new("hull")], Titles = [new("ship")] };
        var rows = Assert.IsType<ReadResult.Rows>(
            await sides.Gate.ReadAsync(sides.Catalogue, request, Grants.ViewEverything, CancellationToken.None)
        );
        Assert.Equal(6, rows.Records.Length);
        Assert.All(rows.Records, record => Assert.Null(record.TitleOf(new("ship"))));
        var total = request with { Computed = [new ComputedColumn(new("tons"), "ship.tons")] };
        Assert.IsType<ReadResult.Failed>(await sides.Gate.ReadAsync(sides.Catalogue, total, Grants.ViewEverything, CancellationToken.None));
    }

    [Theory]
    [MemberData(nameof(Pairs))]
    public async Task A_title_may_be_made_of_another_source_s_fields(string bills, string ships)
    {
        await using var together = await EngineSource.CreateAsync(bills, [.. Ships, .. Bills]);
        await using var apartBills = await EngineSource.CreateAsync(bills, Bills);
        await using var apartShips = await EngineSource.CreateAsync(ships, Ships);
        static Sides Titled(Sides sides)
        {
            var bills = sides.Dataset("bills") with { Title = [new FieldPath([new("ship")], new("name")), FieldPath.Of(new("amount"))] };
            return new Sides(new DatasetCatalogue([sides.Dataset("ships"), bills]), sides.Gate, name =>
                name == "bills" ? bills : sides.Dataset(name)
            );
        }

        var one = Titled(await SidesAsync(new Several(together), together));
        var two = Titled(await SidesAsync(new Several(apartBills, apartShips), apartBills, apartShips));
        var answer = await AnswerAsync(two, sides => Of(sides, "bills") with { Sort = [new(new("id"))] });
        Assert.Equal(await AnswerAsync(one, sides => Of(sides, "bills") with { Sort = [new(new("id"))] }), answer);
        Assert.StartsWith("Gannet · 30 | Kittiwake · 10 | ", answer, StringComparison.Ordinal);

        // Who may not see ships sees what is left of the title.
        var grants = Grants.Of(new HashSet<string> { "clerk" }, [Policy.On("clerk", two.Dataset("bills").Id, Verbs.All)]);
        var read = await two.Gate.ReadAsync(two.Catalogue, Of(two, "bills") with { Sort = [new(new("id"))] }, grants, default);
        Assert.Equal("30", Assert.IsType<ReadResult.Rows>(read).Records[0].Title);
    }

    private static readonly (string Name, Func<Sides, ReadRequest> Make)[] Requests =
    [
        ("titles", sides => Of(sides, "bills") with { Fields = [new("hull"), new("amount")], Titles = [new("ship")] }),
        ("order by title", sides => Of(sides, "bills") with { Titles = [new("ship")], Sort = [new(new("hull"))] }),
        ("order by title, turned", sides => Of(sides, "bills") with { Titles = [new("ship")], Sort = [new(new("hull"), true)] }),
        ("search by title", sides => Of(sides, "bills") with { Titles = [new("ship")], Search = "kittiwake", Counted = true }),
        ("search by title and text", sides => Of(sides, "bills") with { Search = "kittiwake paid", Counted = true }),
        ("a value", sides => Of(sides, "bills") with { Computed = [new(new("tons"), "ship.tons * 2")] }),
        ("in order of a value", sides => Of(sides, "bills") with { Computed = [new(new("t"), "ship.tons")], Sort = [new(new("t"), true)] }),
        ("narrowed by a value", sides => Of(sides, "bills") with { Filter = new Filter.Holds("ship.tons > 500"), Counted = true }),
        ("narrowed by a value or an own one", sides =>
            Of(sides, "bills") with
            {
                Filter = new Filter.Holds("OR(ship.tons > 800, amount = 30)"),
                Counted = true,
            }
        ),
        ("lost", sides => Of(sides, "bills") with { Filter = new Filter.Holds("AND(NOT(ISBLANK(hull)), ISBLANK(ship))"), Counted = true }),
        ("totals", sides => Of(sides, "ships") with { Computed = [new(new("sum"), "SUM(bills.amount)"), new(new("n"), "COUNT(bills)")] }),
        ("in order of totals", sides =>
            Of(sides, "ships") with
            {
                Computed = [new(new("n"), "SUM(bills.amount)")],
                Sort = [new(new("n"), true)],
            }
        ),
        ("narrowed by totals", sides => Of(sides, "ships") with { Filter = new Filter.Holds("COUNT(bills) = 0"), Counted = true }),
        ("there and back", sides =>
            Of(sides, "bills") with
            {
                Computed = [new(new("share"), "ROUND(amount / SUM(ship.bills.amount), 6)")],
            }
        ),
        ("second page", sides =>
            Of(sides, "bills") with
            {
                Titles = [new("ship")],
                Sort = [new(new("hull"))],
                Window = new PageWindow.FromStart(2, 2),
            }
        ),
    ];

    private static ReadRequest Of(Sides sides, string name) => new(sides.Dataset(name).Id);

    private static async Task<string> AnswerAsync(Sides sides, Func<Sides, ReadRequest> make)
    {
        var request = make(sides);
        var result = await sides.Gate.ReadAsync(sides.Catalogue, request, Grants.ViewEverything, CancellationToken.None);
        return result is ReadResult.Rows rows
            ? string.Join(
                " | ",
                rows.Records.Select(record =>
                    string.Join(
                        ", ",
                        request
                            .Fields.Concat(request.Computed.Select(column => column.Name))
                            .Select(name => string.Create(CultureInfo.InvariantCulture, $"{record[name]:0.######}"))
                            .Prepend(record.Title)
                            .Concat(request.Titles.Select(name => record.TitleOf(name) ?? "–"))
                    )
                )
            ) + $" ({rows.Count?.Number})"
            : $"{result}";
    }

    private static async Task<Sides> SidesAsync(Several directory, params EngineSource[] sources)
    {
        var drafted = new List<Dataset>();
        foreach (var source in sources)
        {
            drafted.AddRange((await source.DraftAsync()).All.Select(dataset => dataset with { Relations = [] }));
        }

        Dataset Named(string name) => drafted.Single(dataset => dataset.Table.Name == name);
        var ships = Named("ships") with { Title = [FieldPath.Of(new("name"))] };
        var bills = Named("bills") with
        {
            Title = [FieldPath.Of(new("id"))],
            Relations =
            [
                new Relation
                {
                    Name = new("ship"),
                    Label = "Ship",
                    Field = new("hull"),
                    Target = ships.Id,
                    TargetField = new("hull"),
                    InverseName = new("bills"),
                    InverseLabel = "Bills",
                    Because = "",
                },
            ],
        };
        var catalogue = new DatasetCatalogue([ships, bills]);
        return new Sides(catalogue, Gates.For(directory), name => name == "ships" ? ships : bills);
    }

    private sealed class Several(params EngineSource[] sources) : ISourceDirectory
    {
        public ValueTask<SourceSettings?> FindAsync(SourceId source, CancellationToken cancellation) =>
            ValueTask.FromResult(sources.FirstOrDefault(one => one.Source == source)?.Settings);
    }
}
