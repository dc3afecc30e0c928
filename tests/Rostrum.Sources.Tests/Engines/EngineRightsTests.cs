using FsCheck;
using FsCheck.Fluent;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using static Rostrum.Sources.Tests.Gates;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>What a person may see and change is the same whatever database the records are in.</summary>
public sealed class EngineRightsTests
{
    private static readonly SignedIn Egil = new("Kittiwake", "egil@brackwater.example", ["engineer"]);

    private static readonly string[] Schema =
    [
        "CREATE TABLE vessels (hull varchar(8) PRIMARY KEY, name varchar(20) NOT NULL UNIQUE, seats int)",
        """
            CREATE TABLE defects (id {id}, vessel varchar(8), title varchar(30), hours int, cost decimal(8,2), due date,
                FOREIGN KEY (vessel) REFERENCES vessels (hull))
            """,
        "INSERT INTO vessels VALUES ('BF-1', 'Kittiwake', 120), ('BF-2', 'Fulmar', 80), ('BF-3', 'Ævar', NULL)",
        .. Enumerable.Range(0, 24).Select(Defect),
    ];

    // Every mixture of blank and given, large and small.
    private static string Defect(int n) =>
        "INSERT INTO defects (vessel, title, hours, cost, due) VALUES ("
        + string.Join(
            ", ",
            new[] { "'BF-1'", "'BF-2'", "'BF-3'", "NULL" }[n % 4],
            new[] { "'Pump leaks'", "'pump LEAKS'", "'100%_ ÆØÅ'", "''", "NULL" }[n % 5],
            new[] { "0", "-3", "12", "2147483647", "NULL", "7", "1" }[n % 7],
            new[] { "0.10", "0.20", "12.30", "NULL", "999999.99" }[n / 2 % 5],
            new[] { "'2026-02-28'", "NULL", "'1999-12-31'" }[n / 3 % 3]
        )
        + ")";

    private static readonly Gen<string> Conditions = Gen.Elements(
            "hours > 5",
            "hours = 12",
            "hours * 2 < 15",
            "cost <= 0.2",
            "cost + 0.1 = 0.3",
            "ISBLANK(hours)",
            "ISBLANK(title)",
            "title = \"Pump leaks\"",
            "CONTAINS(title, \"leaks\")",
            "LEN(title) > 9",
            "due < DATE(2020, 1, 1)",
            "YEAR(due) = 2026",
            "vessel.seats > 100",
            "vessel.name = user.name",
            "vessel.name <> \"Fulmar\"",
            "ISBLANK(vessel.seats)",
            "COUNT(vessel.defects) > 3",
            "NOT(id > 10)"
        )
        .Two()
        .SelectMany(pair =>
            Gen.Elements(
                pair.Item1,
                $"NOT({pair.Item2})",
                $"AND({pair.Item1}, {pair.Item2})",
                $"OR({pair.Item1}, {pair.Item2})",
                $"IF({pair.Item1}, {pair.Item2})"
            )
        );

    public static TheoryData<string> Kinds => EngineSource.Kinds;

    private static ReadRequest Ids(Dataset dataset, params ComputedColumn[] computed) =>
        new(dataset.Id)
        {
            Fields = [new("id")],
            Computed = [.. computed],
            Sort = [new SortBy(new("id"))],
        };

    private static async Task<string> IdsAsync(EngineSource source, DatasetCatalogue catalogue, ReadRequest request, Grants grants) =>
        string.Join(' ', (await RowsAsync(source.Gate, catalogue, request, grants)).Records.Select(record => record[new("id")]));

    private static Grants With(params Policy[] policies) => Grants.Of(policies.Select(policy => policy.Role).ToHashSet(), policies, Egil);

    private static Policy On(Dataset dataset, string? condition = null, Verbs verbs = Verbs.View) =>
        Policy.On("engineer", dataset.Id, verbs) with
        {
            Condition = condition is null ? new Filter.Everything() : new Filter.Holds(condition),
        };

    /// <summary>
    /// The law of policies: a person sees the records for which memory says that the condition holds, and none where the database cannot
    /// decide it, of which the builder is told.
    /// </summary>
    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task For_any_policy_the_database_and_memory_let_the_same_records_through(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Schema);
        var catalogue = await source.DraftAsync();
        var (defects, vessels) = (catalogue.Named("defects"), catalogue.Named("vessels"));
        var decidedThere = 0;
        foreach (var condition in Conditions.Sample(60))
        {
            var inMemory = new ComputedColumn(
                new("value"),
                $"AND({condition.Replace("user.name", "\"Kittiwake\"", StringComparison.Ordinal)}, SQRT(id) >= 0)"
            );
            var known = await RowsAsync(source.Gate, catalogue, Ids(defects, inMemory));
            Assert.NotNull(known.Explanation[0].InMemory);
            var decides = RecordGate.ProblemOf(kind, catalogue, defects, condition, Egil) is null;
            decidedThere += decides ? 1 : 0;
            var allowed = decides ? known.Records.Where(record => record[new("value")] is true).Select(record => record[new("id")]) : [];
            var seen = await IdsAsync(source, catalogue, Ids(defects), With(On(defects, condition), On(vessels)));
            Assert.True(string.Join(' ', allowed) == seen, $"{condition}: {string.Join(' ', allowed)} in memory, {seen} there");
        }

        Assert.InRange(decidedThere, kind == "sqlite" ? 15 : 30, 60);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Records_that_a_condition_leaves_out_cannot_be_changed_nor_moved_out_of_sight(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Schema);
        var catalogue = await source.DraftAsync();
        var defects = catalogue.Named("defects");
        var grants = With(On(defects, "hours = 12", Verbs.All));
        var twelve = (await IdsAsync(source, catalogue, Ids(defects), grants)).Split(' ');
        Assert.Equal(["3", "10", "17", "24"], twelve);

        Task<SaveResult> Write(long id, FieldValues values, FieldValues before) =>
            source.Gate.SaveAsync(catalogue, defects, new Change.Update(new RecordKey([id]), before, values), grants);
        Assert.IsType<SaveResult.Saved>(await Write(3, Values(("title", "Seen")), Values(("title", "100%_ ÆØÅ"))));
        Assert.IsNotType<SaveResult.Saved>(await Write(4, Values(("title", "Unseen")), Values(("title", ""))));
        Assert.IsNotType<SaveResult.Saved>(await Write(10, Values(("hours", 13L)), Values(("hours", 12L))));
        Assert.IsNotType<SaveResult.Saved>(
            await source.Gate.SaveAsync(catalogue, defects, new Change.Delete(new RecordKey([5L]), FieldValues.None), grants)
        );
        Assert.IsNotType<SaveResult.Saved>(
            await source.Gate.SaveAsync(catalogue, defects, new Change.Insert(Values(("title", "New"), ("hours", 11L))), grants)
        );
        Assert.Equal("24", await source.ScalarAsync("SELECT count(*) FROM defects"));
        Assert.Equal("4", await source.ScalarAsync("SELECT count(*) FROM defects WHERE hours = 12"));
        Assert.Equal("0", await source.ScalarAsync("SELECT count(*) FROM defects WHERE title = 'Unseen'"));
    }

    /// <summary>Two roles that name different fields for different records: each field of each record is decided by itself.</summary>
    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Of_each_record_a_person_sees_and_changes_what_one_of_their_roles_allows_of_it(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Schema);
        var catalogue = await source.DraftAsync();
        var defects = catalogue.Named("defects");
        var clerk = new FieldSet.Only([new("id"), new("title"), new("cost")]);
        var mate = new FieldSet.Only([new("id"), new("title"), new("hours"), new("vessel")]);
        var grants = With(
            On(defects, "id <= 4", Verbs.All) with
            {
                Readable = clerk,
                Writable = clerk,
            },
            On(defects, "id >= 4", Verbs.All) with
            {
                Role = "mate",
                Readable = mate,
                Writable = mate,
            }
        );
        var request = Ids(defects) with { Fields = [new("id"), new("hours"), new("cost")] };
        var rows = await RowsAsync(source.Gate, catalogue, request with { Filter = new Filter.Holds("id < 6") }, grants);
        Assert.Equal(
            ["1: cost", "2: cost", "3: cost", "4: hours cost", "5: hours"],
            rows.Records.Select(record =>
                $"{record[new("id")]}: {string.Join(' ', new[] { "hours", "cost" }.Where(name => record.Has(new(name))))}"
            )
        );
        Assert.Equal([null, null, null, 2147483647L, null], rows.Records.Select(record => record[new("hours")]));

        // A hidden value is as if it was blank, wherever one asks for it.
        Assert.Equal(
            "6 7 8 9",
            await IdsAsync(source, catalogue, Ids(defects) with { Filter = new Filter.Holds("AND(hours < 8, id < 10)") }, grants)
        );
        Assert.StartsWith(
            "1 2 3",
            await IdsAsync(source, catalogue, Ids(defects) with { Filter = new Filter.OneOf(new("hours"), [null]) }, grants),
            StringComparison.Ordinal
        );
        var totals = await source.Gate.TotalAsync(
            catalogue,
            new TotalRequest(defects.Id, [new(new("cost"), Total.Sum)], new Filter.Everything(), ""),
            grants,
            CancellationToken.None
        );
        Assert.Equal(0.6m, Assert.IsType<TotalResult.Values>(totals).Numbers[0]);

        Task<SaveResult> Write(long id, string field, object? before, object? value) =>
            source.Gate.SaveAsync(
                catalogue,
                defects,
                new Change.Update(new RecordKey([id]), Values((field, before)), Values((field, value))),
                grants
            );
        Assert.IsType<SaveResult.Saved>(await Write(3, "cost", 0.2m, 7m));
        Assert.IsType<SaveResult.Saved>(await Write(4, "hours", 2147483647L, 9L));
        Assert.IsType<SaveResult.Saved>(await Write(4, "cost", 0.2m, 8m));
        Assert.IsType<SaveResult.Denied>(await Write(3, "hours", 12L, 13L));
        Assert.IsType<SaveResult.Denied>(await Write(3, "hours", null, 13L));
        Assert.IsType<SaveResult.Denied>(await Write(5, "cost", 12.3m, 13m));

        // In a set as well, and one that goes together: the others are kept as they were.
        var set = new ChangeSet(
            defects.Id,
            [
                new Change.Update(new RecordKey([1L]), FieldValues.None, Values(("cost", 5m))),
                new Change.Update(new RecordKey([6L]), FieldValues.None, Values(("cost", 5m))),
            ]
        );
        Assert.IsType<SaveResult.Denied>(await source.Gate.SaveAsync(catalogue, set, grants, CancellationToken.None));
        Assert.Equal("0", await source.ScalarAsync("SELECT count(*) FROM defects WHERE cost = 5"));

        var of = await source.Gate.GrantsOfAsync(catalogue, defects, [new([1L]), new([9L])], grants, CancellationToken.None);
        Assert.True(of(new([1L])).Writable.Has(new("cost")) && !of(new([1L])).Writable.Has(new("hours")));
        Assert.True(of(new([9L])).Readable.Has(new("hours")) && !of(new([9L])).Readable.Has(new("cost")));
    }

    /// <summary>The law of secrecy: with a hidden field, what a person gets does not depend on what is in it.</summary>
    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task What_a_hidden_field_holds_changes_nothing_that_is_seen(string kind)
    {
        await using var source = await EngineSource.CreateAsync(kind, Schema);
        var catalogue = await source.DraftAsync();
        var defects = catalogue.Named("defects");
        var grants = With(On(defects) with { Readable = new FieldSet.But([new FieldName("cost")]) });

        async Task<string> SeenAsync()
        {
            var seen = new List<string>();
            foreach (
                var request in (ReadRequest[])
                    [
                        Ids(defects),
                        Ids(defects) with
                        {
                            Search = "12.3",
                        },
                        Ids(defects) with
                        {
                            Fields = [new("id"), new("cost")],
                        },
                        Ids(defects) with
                        {
                            Sort = [new SortBy(new("cost"))],
                        },
                        Ids(defects) with
                        {
                            Filter = new Filter.Holds("cost > 1"),
                        },
                        Ids(defects, new ComputedColumn(new("twice"), "cost * 2")),
                    ]
            )
            {
                seen.Add(
                    await source.Gate.ReadAsync(catalogue, request, grants, CancellationToken.None) is ReadResult.Rows rows
                        ? string.Join(' ', rows.Records.Select(record => $"{record[new("id")]}"))
                        : "refused"
                );
            }

            return string.Join('\n', seen);
        }

        var before = await SeenAsync();
        Assert.StartsWith("1 2 3 4 5", before, StringComparison.Ordinal);
        Assert.EndsWith("refused", before, StringComparison.Ordinal);
        await source.RunAsync("UPDATE defects SET cost = 12.30 - COALESCE(cost, 1) / 2");
        Assert.Equal(before, await SeenAsync());
    }
}
