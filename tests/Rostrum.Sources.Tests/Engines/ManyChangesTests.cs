using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using static Rostrum.Sources.Tests.Gates;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>Many changes go in a few statements; what comes of each is what would come of it alone.</summary>
public sealed class ManyChangesTests
{
    private const int Records = 90;

    public static TheoryData<string> Kinds => EngineSource.Kinds;

    private static async Task<(EngineSource Source, DatasetCatalogue Catalogue, Dataset Parts)> OpenAsync(string kind)
    {
        var rows = Enumerable.Range(1, Records).Select(at => $"('P-{at:000}', 'depot {at % 3}', {at}, {at % 7})");
        var source = await EngineSource.CreateAsync(
            kind,
            "CREATE TABLE parts (id {id}, code varchar(8) NOT NULL UNIQUE, depot varchar(10) NOT NULL, cost decimal(8,2), stock int, "
                + "CONSTRAINT parts_stock_check CHECK (stock >= 0))",
            $"INSERT INTO parts (code, depot, cost, stock) VALUES {string.Join(", ", rows)}"
        );
        var catalogue = await source.DraftAsync();
        var parts = catalogue.Named("parts") with
        {
            Rules =
            [
                new Rule.Holds("cost <= 200")
                {
                    Name = "dear",
                    Message = "A part costs 200 at most.",
                    Field = new("cost"),
                },
                new Rule.Holds("stock < 50")
                {
                    Name = "full",
                    Message = "There are many already.",
                    Warns = true,
                },
            ],
        };
        return (source, new DatasetCatalogue([parts]), parts);
    }

    // What a person may do: no parts of one depot, so that some changes are refused, and some lead out of sight.
    private static Grants Granted(Dataset parts) =>
        Grants.Of(
            ImmutableHashSet.Create("storekeeper"),
            [Policy.On("storekeeper", parts.Id, Verbs.All) with { Condition = new Filter.OneOf(new("depot"), ["depot 0", "depot 1"]) }]
        );

    private static Change Random(Random random, Dataset parts, int key)
    {
        var id = RecordKey.Parse(parts, $"{key}")!;
        var original = random.Next(8) == 0 ? Values(("cost", 1_000m)) : Values(("cost", (decimal)key));
        return random.Next(14) switch
        {
            0 => new Change.Delete(id, original),
            1 => new Change.Insert(Values(("code", $"N-{key:000}"), ("depot", $"depot {random.Next(3)}"), ("cost", 5m), ("stock", 1L))),
            2 => new Change.Insert(Values(("code", "P-001"), ("depot", "depot 0"))),
            3 => new Change.Update(id, original, Values(("stock", -1L))),
            4 => new Change.Update(id, original, Values(("cost", 201m))),
            5 => new Change.Update(id, original, Values(("stock", 60L))),
            6 => new Change.Update(id, original, Values(("depot", $"depot {random.Next(3)}"))),
            7 => new Change.Update(RecordKey.Parse(parts, "9999")!, original, Values(("stock", 2L))),
            _ => new Change.Update(id, original, Values(("stock", (long)random.Next(40)), ("cost", 3m))),
        };
    }

    private static Task<string> DumpAsync(EngineSource source) =>
        source.ScalarAsync(
            source.Settings.Kind switch
            {
                "mysql" => "SELECT group_concat(concat_ws(':', code, depot, cost, stock) ORDER BY code) FROM parts",
                "sqlite" =>
                    "SELECT group_concat(line) FROM (SELECT concat_ws(':', code, depot, cost, stock) AS line FROM parts ORDER BY code)",
                _ => "SELECT string_agg(concat_ws(':', code, depot, cost, stock), ',' ORDER BY code) FROM parts",
            }
        );

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task What_becomes_of_each_is_what_would_become_of_it_alone(string kind)
    {
        for (var seed = 1; seed <= 4; seed++)
        {
            var (together, catalogue, parts) = await OpenAsync(kind);
            await using var _ = together;
            var (alone, others, same) = await OpenAsync(kind);
            await using var __ = alone;
            var random = new Random(seed);

            // The first set has a single fault or none, so that most of it goes together.
            ImmutableArray<Change> changes =
            [
                .. Enumerable
                    .Range(1, Records)
                    .Where(key => key % 3 != 2)
                    .Select(key =>
                        seed == 1 && key != 40
                            ? new Change.Update(RecordKey.Parse(parts, $"{key}")!, FieldValues.None, Values(("stock", (long)key % 9)))
                            : Random(random, parts, key)
                    ),
            ];
            var done = Assert.IsType<ManyResult.Done>(
                await together.Gate.SaveEachAsync(
                    catalogue,
                    new ChangeSet(parts.Id, changes),
                    ManyChanges.ThosePossible,
                    Granted(parts),
                    default
                )
            );
            foreach (var (change, one) in changes.Zip(done.Each))
            {
                var set = new ChangeSet(same.Id, [change]);
                var single = Assert.Single(
                    Assert
                        .IsType<ManyResult.Done>(
                            await alone.Gate.SaveEachAsync(others, set, ManyChanges.ThosePossible, Granted(same), default)
                        )
                        .Each
                );
                Assert.Equal((single.Because, single.Saved is null), (one.Because, one.Saved is null));
                Assert.Equal(string.Join('|', single.Warnings), string.Join('|', one.Warnings));
                Assert.Equal((single.Saved?.Title, single.Saved?.Inverse?.GetType()), (one.Saved?.Title, one.Saved?.Inverse?.GetType()));
            }

            Assert.Equal(await DumpAsync(alone), await DumpAsync(together));
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task A_set_of_many_is_saved_and_taken_back(string kind)
    {
        var (source, catalogue, parts) = await OpenAsync(kind);
        await using var _ = source;
        var before = await DumpAsync(source);
        ChangeSet set = new(
            parts.Id,
            [
                .. Enumerable
                    .Range(1, 60)
                    .Select(Change (key) => new Change.Update(RecordKey.Parse(parts, $"{key}")!, FieldValues.None, Values(("stock", 3L)))),
                new Change.Delete(RecordKey.Parse(parts, "70")!, FieldValues.None),
                new Change.Insert(Values(("code", "P-070"), ("depot", "depot 9"), ("stock", 4L))),
            ]
        );
        var saved = Assert.IsType<SaveResult.Saved>(await source.Gate.SaveAsync(catalogue, set, Gates.All, default));
        Assert.Equal(62, saved.Changes.Length);
        Assert.Equal("60", await source.ScalarAsync("SELECT count(*) FROM parts WHERE stock = 3 AND id <= 60"));
        Assert.NotEqual(before, await DumpAsync(source));
        ChangeSet inverse = new(parts.Id, [.. saved.Changes.Reverse().Select(change => change.Inverse!)]);
        Assert.IsType<SaveResult.Saved>(await source.Gate.UndoAsync(catalogue, inverse, Gates.All, default));
        Assert.Equal(before, await DumpAsync(source));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task A_rule_that_two_changes_of_a_set_break_only_together_stops_it(string kind)
    {
        var (source, _, parts) = await OpenAsync(kind);
        await using var __ = source;
        var counted = parts with
        {
            Relations =
            [
                new Relation
                {
                    Name = new("alike"),
                    Field = new("depot"),
                    Target = parts.Id,
                    TargetField = new("depot"),
                    Label = "Alike",
                    Because = "made up",
                    InverseName = new("others"),
                    InverseLabel = "Others",
                },
            ],
            Rules = [new Rule.Holds("SUM(others.stock) <= 1000") { Name = "room", Message = "The depot is full." }],
        };
        var catalogue = new DatasetCatalogue([counted]);
        await source.RunAsync("UPDATE parts SET stock = 0");
        Change Stocked(int key, long stock) =>
            new Change.Update(RecordKey.Parse(parts, $"{key}")!, FieldValues.None, Values(("stock", stock)));
        Task<SaveResult> SaveAsync(params Change[] changes) =>
            source.Gate.SaveAsync(catalogue, new ChangeSet(parts.Id, [.. changes]), Gates.All, default);
        Assert.IsType<SaveResult.Saved>(await SaveAsync(Stocked(3, 600), Stocked(6, 100)));
        Assert.IsType<SaveResult.Invalid>(await SaveAsync(Stocked(9, 200), Stocked(12, 200)));
        Assert.Equal("700", await source.ScalarAsync("SELECT sum(stock) FROM parts"));
    }
}
