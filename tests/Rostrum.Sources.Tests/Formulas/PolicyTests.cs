using System.Collections.Immutable;
using FsCheck;
using FsCheck.Fluent;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Tests.Formulas;

/// <summary>Policies whose records are said by a formula over the record and who is signed in.</summary>
public sealed class PolicyTests(FleetWithDefects fleet) : IClassFixture<FleetWithDefects>
{
    private static readonly SignedIn Egil = new("Vessel 7", "egil@brackwater.example", ["engineer", "night watch"])
    {
        AllRoles = new FormulaType.Choice(["engineer", "night watch", "owner"]) { IsClosed = true },
    };

    private Dataset Vessels => fleet.Catalogue.Named("vessels");

    private Dataset Defects => fleet.Catalogue.Named("defects");

    private static Grants With(params Policy[] policies) => Grants.Of(policies.Select(policy => policy.Role).ToHashSet(), policies, Egil);

    private static Policy On(Dataset dataset, string? view, Verbs verbs = Verbs.View, string role = "engineer") =>
        Policy.On(role, dataset.Id, verbs) with
        {
            Condition = view is null ? new Filter.Everything() : new Filter.Holds(view),
        };

    private static ReadRequest All(Dataset dataset, params ComputedColumn[] computed) =>
        new(dataset.Id)
        {
            Fields = [new("id")],
            Computed = [.. computed],
            Window = new PageWindow.FromStart(0, 1000),
            Counted = true,
            Now = FormulaWorld.Context.Now,
        };

    private async Task<ImmutableArray<long>> IdsAsync(Dataset dataset, Grants grants) =>
        [.. (await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, All(dataset), grants)).Records.Select(record => (long)record[new("id")]!)];

    [Theory]
    [InlineData("name = user.name", "id = 7")]
    [InlineData("CONTAINS(user.roles, \"night watch\")", "TRUE")]
    [InlineData("CONTAINS(user.roles, \"owner\")", "FALSE")]
    [InlineData("NOT(CONTAINS(user.roles, \"owner\"))", "TRUE")]
    [InlineData("NOT(CONTAINS(user.roles, \"Engineer\"))", "FALSE")]
    [InlineData("CONTAINS(user.roles, name)", "FALSE")]
    [InlineData("AND(cars > 50, port.name = \"Ness\")", "cars > 50 AND port = 'P4'")]
    [InlineData("port.name = \"Ness\"", "port = 'P4'")]
    [InlineData("port.name <> \"Ness\"", "port IS DISTINCT FROM 'P4'")]
    [InlineData("ISBLANK(port.name)", "port IS NULL")]
    [InlineData("OR(port.name = \"Ness\", cars > 50)", "port = 'P4' OR cars > 50")]
    [InlineData("OR(port.name = \"Ness\", port.name = user.name)", "port = 'P4'")]
    [InlineData(
        "AND(COUNT(port.vessels) > 40, cars > 50)",
        "port IN (SELECT v.port FROM vessels v GROUP BY 1 HAVING count(*) > 40) AND cars > 50"
    )]
    [InlineData(
        "COUNT(FILTER(defects, state = \"open\")) > 2",
        "(SELECT count(*) FROM defects d WHERE d.vessel_id = vessels.id AND d.state = 'open') > 2"
    )]
    [InlineData("user.email = name", "FALSE")]
    [InlineData("ISBLANK(user.name)", "FALSE")]
    [InlineData("carz > 5", "FALSE")]
    [InlineData("cars + 1", "FALSE")]
    [InlineData("SQRT(cars) > 3", "FALSE")]
    public async Task A_person_sees_the_records_for_which_the_condition_holds_and_no_other(string condition, string sql)
    {
        var grants = With(On(Vessels, condition));
        var expected = await fleet.Database.ScalarAsync<long>($"SELECT count(*) FROM vessels WHERE {sql}");
        var rows = await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, All(Vessels), grants);
        Assert.Equal(expected, rows.Records.Length);
        Assert.Equal(expected, rows.Count!.Number);
        var groups = Assert.IsType<GroupResult.Groups>(
            await fleet.Gate.GroupAsync(
                fleet.Catalogue,
                new GroupRequest(Vessels.Id, new("state"), new Filter.Everything(), "", 10),
                grants,
                CancellationToken.None
            )
        );
        Assert.Equal(expected, groups.Values.Sum(group => group.Count));
        var scanned = await Gates.RowsAsync(
            fleet.Gate,
            fleet.Catalogue,
            All(Vessels) with
            {
                Filter = new Filter.Holds("SQRT(4) + 0 * SQRT(cars) = 2"),
            },
            grants
        );
        Assert.Equal(expected, scanned.Records.Length);
    }

    [Fact]
    public async Task Totals_titles_and_searches_know_only_related_records_that_the_person_may_see()
    {
        var grants = With(On(Vessels, "cars > 50"), On(Defects, "vessel.port.name = \"Ness\""));
        var count = new ComputedColumn(new("value"), "COUNT(defects)");
        var median = new ComputedColumn(new("other"), "COUNT(defects) + 0 * SQRT(cars)");
        var rows = await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, All(Vessels, count, median), grants);
        var expected = await fleet.Database.ScalarAsync<long>(
            "SELECT count(*) FROM defects d JOIN vessels v ON v.id = d.vessel_id WHERE v.cars > 50 AND v.port = 'P4'"
        );
        Assert.Equal(expected, rows.Records.Sum(record => (decimal)record[new("value")]!));
        Assert.Equal(expected, rows.Records.Sum(record => (decimal)record[new("other")]!));

        var defects = await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, All(Defects) with { Titles = [new("vessel")] }, grants);
        Assert.Equal(
            await fleet.Database.ScalarAsync<long>(
                "SELECT count(*) FROM defects d JOIN vessels v ON v.id = d.vessel_id WHERE v.cars > 50 AND v.port = 'P4'"
            ),
            defects.Records.Count(record => record.TitleOf(new("vessel")) is not null)
        );
        var hidden = await fleet.Database.ScalarAsync<string>(
            "SELECT name FROM vessels v WHERE cars <= 50 AND port = 'P4' AND EXISTS (SELECT 1 FROM defects d "
                + "WHERE d.vessel_id = v.id) ORDER BY id DESC LIMIT 1"
        );
        Assert.Empty((await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, All(Defects) with { Search = hidden }, grants)).Records);
    }

    [Fact]
    public async Task Conditions_and_formulas_see_one_moment_wherever_they_are_computed()
    {
        var grants = With(On(Vessels, null), On(Defects, "due <= TODAY()"));
        var rows = await Gates.RowsAsync(
            fleet.Gate,
            fleet.Catalogue,
            All(
                Vessels,
                new ComputedColumn(new("value"), "COUNT(defects)"),
                new ComputedColumn(new("other"), "COUNT(defects) + 0 * SQRT(cars)")
            ),
            grants
        );
        var expected = await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM defects WHERE due <= DATE '2026-03-28'");
        Assert.Equal(
            (expected, expected),
            (rows.Records.Sum(record => (decimal)record[new("value")]!), rows.Records.Sum(record => (decimal)record[new("other")]!))
        );
        Assert.InRange(expected, 1, 499);
    }

    [Fact]
    public async Task Writing_has_a_condition_of_its_own_that_holds_before_and_after()
    {
        var policy = On(Defects, null, Verbs.View | Verbs.Update | Verbs.Create | Verbs.Delete)
            .WritingWhere(new Filter.Holds("AND(state = \"open\", vessel.name = user.name)"));
        var grants = With(policy, On(Vessels, null));
        Assert.Equal(500, (await IdsAsync(Defects, grants)).Length);
        var own = (long)
            await fleet.Database.ScalarAsync<int>(
                "SELECT d.id FROM defects d JOIN vessels v ON v.id = d.vessel_id WHERE v.name = 'Vessel 7' AND d.state = 'open' LIMIT 1"
            );
        var others = (long)
            await fleet.Database.ScalarAsync<int>(
                "SELECT d.id FROM defects d JOIN vessels v ON v.id = d.vessel_id WHERE v.name = 'Vessel 9' AND d.state = 'open' LIMIT 1"
            );
        var vesselField = Defects.Relations[0].Field.Value;
        Task<SaveResult> Save(Change change) => fleet.Gate.SaveAsync(fleet.Catalogue, Defects, change, grants);
        Change.Update Title(long id, string field, object value) =>
            new(new RecordKey([id]), FieldValues.None, Gates.Values((field, value)));

        Assert.IsType<SaveResult.Saved>(await Save(Title(own, "title", "Seen to")));
        Assert.IsType<SaveResult.Denied>(await Save(Title(others, "title", "Seen to")));
        Assert.IsType<SaveResult.Denied>(await Save(Title(own, vesselField, 9L)));
        Assert.IsType<SaveResult.Denied>(await Save(Title(own, "state", "closed")));
        Assert.IsType<SaveResult.Denied>(await Save(new Change.Delete(new RecordKey([others]), FieldValues.None)));
        Assert.IsType<SaveResult.Denied>(await Save(new Change.Insert(Gates.Values((vesselField, 9L), ("title", "x"), ("state", "open")))));
        var added = Assert.IsType<SaveResult.Saved>(
            await Save(new Change.Insert(Gates.Values((vesselField, 7L), ("title", "x"), ("state", "open"))))
        );
        Assert.IsType<SaveResult.Saved>(
            await fleet.Gate.UndoAsync(
                fleet.Catalogue,
                new ChangeSet(Defects.Id, [added.Changes[0].Inverse!]),
                grants,
                CancellationToken.None
            )
        );
        Assert.Equal(500, await fleet.Database.ScalarAsync<long>("SELECT count(*) FROM defects"));
    }

    [Theory]
    [InlineData("carz = 1", "Unknown name “carz”. Did you mean “cars”?")]
    [InlineData("cars + 1", "It gives a number, and should be true or false.")]
    [InlineData("SQRT(cars) > 3", "The server cannot decide it: PostgreSQL has no SQRT that gives the same.")]
    [InlineData("name = user.name", null)]
    public void A_condition_that_would_let_nothing_through_is_known_before_it_is_set(string condition, string? problem) =>
        Assert.Equal(problem, RecordGate.ProblemOf(SourceKind.Usual, fleet.Catalogue, Vessels, condition));

    /// <summary>The law of policies: what the server lets through is exactly what the decision in memory allows.</summary>
    [Fact]
    public async Task For_any_policies_the_server_and_memory_let_the_same_records_through()
    {
        var everything = await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, All(Vessels));
        var conditions = Gen.Elements(
                "cars > 50",
                "berths = 20",
                "state = \"sold\"",
                "port.name = \"Ness\"",
                "ISBLANK(port)",
                "fare < 5",
                "built < DATE(2015, 1, 1)",
                "ANY(defects, cost > 50)",
                "COUNT(defects) = 0",
                "name = user.name",
                "CONTAINS(user.roles, \"engineer\")",
                "cars / berths > 1",
                "NOT(id > 100)"
            )
            .Two()
            .SelectMany(pair =>
                Gen.Elements(
                    $"AND({pair.Item1}, {pair.Item2})",
                    $"OR({pair.Item1}, {pair.Item2})",
                    pair.Item1,
                    $"NOT({pair.Item2})",
                    $"IF({pair.Item1}, {pair.Item2})"
                )
            );
        foreach (var (one, other) in conditions.Two().Sample(60).Select(pair => (pair.Item1, pair.Item2)))
        {
            // In memory: as a value that memory computes for each record, of which the server cannot compute all.
            var decided = await Gates.RowsAsync(
                fleet.Gate,
                fleet.Catalogue,
                All(Vessels, new ComputedColumn(new("value"), $"AND(OR({Literal(one)}, {Literal(other)}), SQRT(cars) >= 0)"))
            );
            Assert.NotNull(decided.Explanation[0].InMemory);
            var allowed = decided.Records.Where(record => record[new("value")] is true).Select(record => (long)record[new("id")]!);
            Assert.Equal(
                allowed.Order(),
                (
                    await IdsAsync(
                        Vessels,
                        With(
                            On(Vessels, one),
                            On(Vessels, other, role: "watch"),
                            On(Defects, null),
                            On(fleet.Catalogue.Named("ports"), null)
                        )
                    )
                ).Order()
            );
        }

        Assert.Equal(302, everything.Records.Length);
    }

    private static string Literal(string condition) =>
        condition
            .Replace("user.name", "\"Vessel 7\"", StringComparison.Ordinal)
            .Replace("CONTAINS(user.roles, \"engineer\")", "TRUE", StringComparison.Ordinal);
}
