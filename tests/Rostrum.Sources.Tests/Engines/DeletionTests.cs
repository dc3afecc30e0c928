using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using static Rostrum.Sources.Tests.Gates;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>What a database deletes and empties by itself with a record comes back with it.</summary>
public sealed class DeletionTests
{
    // Voyages go with their route, tickets with their voyage and with the ticket to which they belong, guards lose their ticket and route.
    private static readonly string[] Schema =
    [
        "CREATE TABLE routes (code varchar(8) PRIMARY KEY, name varchar(20) NOT NULL UNIQUE)",
        """
            CREATE TABLE tickets (
                id {id}, voyage int NOT NULL, seat varchar(8) NOT NULL, belongs_to int NULL, price decimal(8,2),
                FOREIGN KEY (belongs_to) REFERENCES tickets (id) ON DELETE CASCADE)
            """,
        """
            CREATE TABLE voyages (
                id {id}, route varchar(8) NOT NULL, at {moment} NOT NULL, best int NULL,
                FOREIGN KEY (route) REFERENCES routes (code) ON DELETE CASCADE)
            """,
        """
            CREATE TABLE guards (
                id {id}, name varchar(20) NOT NULL, route varchar(8) NULL, ticket int NULL,
                FOREIGN KEY (route) REFERENCES routes (code) ON DELETE SET NULL,
                FOREIGN KEY (ticket) REFERENCES tickets (id) ON DELETE SET NULL)
            """,
        "INSERT INTO routes VALUES ('R1', 'Brackwater to Skerry'), ('R2', 'Skerry to Holm')",
        """
            INSERT INTO voyages (route, at) VALUES
                ('R1', '2026-03-01 08:00:00'), ('R1', '2026-03-02 08:00:00.25'), ('R2', '2026-03-01 09:00:00')
            """,
        """
            INSERT INTO tickets (voyage, seat, belongs_to, price) VALUES
                (1, 'A1', NULL, 12.50), (1, 'A2', 1, NULL), (2, 'A1', 2, 7.00), (3, 'B1', NULL, 1.00), (3, 'B2', 3, 2.00)
            """,
        "INSERT INTO guards (name, route, ticket) VALUES ('Jon', 'R1', 1), ('Maren', 'R2', 5), ('Pia', NULL, NULL)",
    ];

    private static readonly string[] Tables = ["routes", "voyages", "tickets", "guards"];

    public static TheoryData<string> Kinds => EngineSource.Kinds;

    private static async Task<(EngineSource Source, DatasetCatalogue Catalogue)> OpenAsync(string kind)
    {
        var source = await EngineSource.CreateAsync(kind, Schema);
        if (kind != "sqlite")
        {
            await source.RunAsync("ALTER TABLE tickets ADD FOREIGN KEY (voyage) REFERENCES voyages (id) ON DELETE CASCADE");
        }

        return (source, await source.DraftAsync());
    }

    private static async Task<string> DumpAsync(EngineSource source, DatasetCatalogue catalogue)
    {
        var lines = new List<string>();
        foreach (var dataset in Tables.Select(catalogue.Named))
        {
            var request = new ReadRequest(dataset.Id)
            {
                Fields = [.. dataset.Fields.Select(field => field.Name)],
                Sort = [new SortBy(dataset.Key[0])],
            };
            lines.AddRange(
                (await RowsAsync(source.Gate, catalogue, request)).Records.Select(record =>
                    $"{dataset.Name}: {string.Join(" | ", dataset.Fields.Select(field => record[field.Name]))}"
                )
            );
        }

        return string.Join('\n', lines);
    }

    private static Task<SaveResult> UndoAsync(
        EngineSource source,
        DatasetCatalogue catalogue,
        Dataset dataset,
        SavedChange saved,
        Grants grants
    )
    {
        // As it is kept, and read again.
        var text = ChangeText.Write(dataset, saved.Inverses(dataset));
        return source.Gate.UndoAsync(catalogue, ChangeText.Read(catalogue, dataset, text)!.Value, grants, CancellationToken.None);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task What_goes_with_a_record_comes_back_with_it(string kind)
    {
        var (source, catalogue) = await OpenAsync(kind);
        await using var _ = source;
        var before = await DumpAsync(source, catalogue);
        foreach (var (name, key) in new[] { ("routes", "R1"), ("routes", "R2"), ("tickets", "1"), ("voyages", "1"), ("guards", "1") })
        {
            var dataset = catalogue.Named(name);
            var deleted = await source.Gate.SavedAsync(
                catalogue,
                dataset,
                new Change.Delete(RecordKey.Parse(dataset, key)!, FieldValues.None)
            );
            Assert.NotEqual(before, await DumpAsync(source, catalogue));

            // Whoever may take the deletion back needs no right of their own for what went along.
            var grants = Grants.Of(ImmutableHashSet.Create("clerk"), [Policy.On("clerk", dataset.Id, Verbs.View | Verbs.Delete)]);
            Assert.IsType<SaveResult.Saved>(await UndoAsync(source, catalogue, dataset, deleted, grants));
            Assert.Equal(before, await DumpAsync(source, catalogue));
            Assert.IsType<SaveResult.Denied>(await UndoAsync(source, catalogue, dataset, deleted, Grants.Everywhere(Grant.ViewOnly)));
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task What_cannot_come_back_whole_does_not_come_back_at_all(string kind)
    {
        var (source, catalogue) = await OpenAsync(kind);
        await using var _ = source;
        var routes = catalogue.Named("routes");
        var deleted = await source.Gate.SavedAsync(catalogue, routes, new Change.Delete(RecordKey.Parse(routes, "R1")!, FieldValues.None));

        // Whoever lost the route has another by now.
        await source.RunAsync("UPDATE guards SET route = 'R2' WHERE name = 'Jon'");
        var now = await DumpAsync(source, catalogue);
        Assert.IsType<SaveResult.Conflict>(await UndoAsync(source, catalogue, routes, deleted, Gates.All));
        Assert.Equal(now, await DumpAsync(source, catalogue));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task A_deletion_that_reaches_what_no_relation_tells_of_has_no_way_back(string kind)
    {
        var (source, catalogue) = await OpenAsync(kind);
        await using var _ = source;
        var without = new DatasetCatalogue(catalogue.All.Where(dataset => dataset.Name.Value != "guards"));
        var routes = without.Named("routes");
        Assert.Null(
            (await source.Gate.SavedAsync(without, routes, new Change.Delete(RecordKey.Parse(routes, "R1")!, FieldValues.None))).Inverse
        );
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public async Task Changes_of_several_tables_are_undone_together_or_not_at_all(string kind)
    {
        var (source, catalogue) = await OpenAsync(kind);
        await using var _ = source;
        var (routes, guards) = (catalogue.Named("routes"), catalogue.Named("guards"));
        var before = await DumpAsync(source, catalogue);
        var added = await source.Gate.SavedAsync(
            catalogue,
            routes,
            new Change.Insert(Values(("code", "R3"), ("name", "Holm to Brackwater")))
        );
        var changed = await source.Gate.SavedAsync(
            catalogue,
            guards,
            new Change.Update(RecordKey.Parse(guards, "3")!, Values(("route", null)), Values(("route", "R3")))
        );
        Task<SaveResult> BothAsync() =>
            source.Gate.UndoAsync(
                catalogue,
                [new ChangeSet(guards.Id, [changed.Inverse!]), new ChangeSet(routes.Id, [added.Inverse!])],
                Gates.All,
                CancellationToken.None
            );

        // The guard could be taken back, and the route was changed since.
        await source.RunAsync("UPDATE routes SET name = 'Holm' WHERE code = 'R3'");
        Assert.IsType<SaveResult.Conflict>(await BothAsync());
        Assert.Equal("R3", await source.ScalarAsync("SELECT route FROM guards WHERE id = 3"));
        await source.RunAsync("UPDATE routes SET name = 'Holm to Brackwater' WHERE code = 'R3'");
        Assert.IsType<SaveResult.Saved>(await BothAsync());
        Assert.Equal(before, await DumpAsync(source, catalogue));
    }
}
