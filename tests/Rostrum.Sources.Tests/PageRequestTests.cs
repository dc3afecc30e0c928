using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Tests;

/// <summary>What the panels of a page ask for: totals, and records narrowed by what is chosen elsewhere on the page.</summary>
public sealed class PageRequestTests(FleetDatabase fleet) : IClassFixture<FleetDatabase>
{
    private Dataset Vessels => fleet.Catalogue.Named("vessels");

    private Dataset Defects => fleet.Catalogue.Named("defects");

    [Theory]
    [InlineData(Total.Sum, "state <> \"closed\"", "SELECT sum(estimated_cost) FROM defects WHERE state <> 'closed'")]
    [InlineData(Total.Average, "TRUE", "SELECT round(avg(estimated_cost), 6) FROM defects")]
    [InlineData(Total.Least, "severity = \"critical\"", "SELECT min(estimated_cost) FROM defects WHERE severity = 'critical'")]
    [InlineData(
        Total.Most,
        "vessel.name = \"Kittiwake\"",
        "SELECT max(estimated_cost) FROM defects d JOIN vessels v ON v.hull_number = d.vessel WHERE v.name = 'Kittiwake'"
    )]
    [InlineData(Total.Sum, "title = \"there is none such\"", "SELECT NULL")]
    public async Task A_total_is_what_the_database_says(Total total, string condition, string sql)
    {
        var answer = Assert.IsType<TotalResult.Values>(
            await fleet.Gate.TotalAsync(
                fleet.Catalogue,
                new TotalRequest(Defects.Id, [new(new("estimated_cost"), total)], new Filter.Holds(condition)),
                Gates.All,
                CancellationToken.None
            )
        );
        var expected = await TextAsync(sql);
        decimal? known = expected.Length == 0 ? null : decimal.Parse(expected, CultureInfo.InvariantCulture);
        decimal? told = answer.Numbers[0] is { } number ? decimal.Round(number, 6) : null;
        Assert.Equal(known, told);
    }

    [Fact]
    public async Task Several_totals_are_one_question_and_a_computed_field_can_be_among_them()
    {
        var request = new TotalRequest(
            Defects.Id,
            [new(new("estimated_cost"), Total.Sum), new(new("twice"), Total.Most), new(new("late"), Total.Sum)],
            new Filter.Holds("severity = \"minor\""),
            "pump"
        )
        {
            Computed =
            [
                new ComputedColumn(new("twice"), "estimated_cost * 2"),
                new ComputedColumn(new("late"), "IF(due < TODAY(), TODAY() - due, 0)"),
            ],
            Now = new DateTimeOffset(2026, 11, 23, 12, 0, 0, TimeSpan.Zero),
        };
        var answer = Assert.IsType<TotalResult.Values>(
            await fleet.Gate.TotalAsync(fleet.Catalogue, request, Gates.All, CancellationToken.None)
        );
        var expected = (
            await TextAsync(
                "SELECT sum(estimated_cost) || ';' || max(estimated_cost * 2) || ';' || sum(greatest(0, date '2026-11-23' - "
                    + "coalesce(due, date '2026-11-23'))) FROM defects d JOIN vessels v ON v.hull_number = d.vessel "
                    + "WHERE severity = 'minor' AND (title ILIKE '%pump%' OR description ILIKE '%pump%')"
            )
        ).Split(';');
        Assert.Equal(
            expected.Select(text => decimal.Parse(text, CultureInfo.InvariantCulture)),
            answer.Numbers.Select(number => number!.Value)
        );
    }

    [Fact]
    public async Task Of_each_value_no_more_than_so_many_records_come_the_first_in_the_order()
    {
        var request = new ReadRequest(Defects.Id)
        {
            Fields = [new("vessel"), new("title"), new("reported_at")],
            Titles = [new("vessel")],
            Filter = new Filter.Holds("state <> \"closed\""),
            Sort = [new SortBy(new("reported_at"), Descending: true)],
            Each = new EachOf(new("vessel"), 3),
            Window = new PageWindow.FromStart(0, 500),
        };
        var rows = await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, request);
        var expected = await TextAsync(
            "SELECT string_agg(id::text, ';' ORDER BY reported_at DESC, id DESC) "
                + "FROM (SELECT id, reported_at, row_number() OVER (PARTITION BY vessel ORDER BY reported_at DESC, id DESC) n "
                + "FROM defects WHERE state <> 'closed') d WHERE n <= 3"
        );
        Assert.Equal(expected, string.Join(';', rows.Records.Select(record => record.Key!.ToText(Defects))));
        Assert.All(rows.Records.GroupBy(record => record[new FieldName("vessel")]), group => Assert.True(group.Count() <= 3));
        Assert.All(rows.Records, record => Assert.False(string.IsNullOrEmpty(record.TitleOf(new FieldName("vessel")))));
    }

    [Theory]
    [InlineData("vessel", "BF-101 BF-103 BF-101 BF-999", "vessel IN ('BF-101', 'BF-103')")]
    [InlineData("state", "open closed", "state IN ('open', 'closed')")]
    public async Task Of_values_that_are_known_each_has_its_first_records(string field, string values, string condition)
    {
        var filter = new Filter.And([new Filter.OneOf(new(field), [.. values.Split(' ')]), new Filter.Holds("severity <> \"minor\"")]);
        var request = new ReadRequest(Defects.Id)
        {
            Fields = [new(field)],
            Titles = [new("vessel")],
            Filter = filter,
            Search = "a",
            Sort = [new SortBy(new("due"))],
            Each = new EachOf(new(field), 4),
            Window = new PageWindow.FromStart(0, 500),
        };
        var rows = await Gates.RowsAsync(fleet.Gate, fleet.Catalogue, request);
        var expected = await TextAsync(
            $"SELECT string_agg(id::text, ';' ORDER BY due, id) FROM (SELECT d.id, d.due, row_number() OVER (PARTITION BY "
                + $"d.{field} ORDER BY d.due, d.id) n FROM defects d JOIN vessels v ON v.hull_number = d.vessel "
                + $"WHERE {condition.Replace(field, "d." + field, StringComparison.Ordinal)} AND severity <> 'minor' "
                + "AND (d.title ILIKE '%a%' OR d.description ILIKE '%a%' OR d.reported_by ILIKE '%a%' OR v.name ILIKE '%a%' "
                + "OR d.severity::text ILIKE '%a%' OR d.state::text ILIKE '%a%')) d WHERE n <= 4"
        );
        Assert.Equal(expected, string.Join(';', rows.Records.Select(record => record.Key!.ToText(Defects))));
        Assert.Equal(8, rows.Records.Length);
    }

    [Fact]
    public async Task A_total_over_what_may_not_be_read_is_refused_and_over_other_records_leaves_them_out()
    {
        var hidden = Grants.Of(
            new HashSet<string> { "x" },
            [Policy.On("x", Defects.Id, Verbs.View) with { Readable = new FieldSet.But([new("estimated_cost")]) }]
        );
        Assert.IsType<TotalResult.Denied>(
            await fleet.Gate.TotalAsync(
                fleet.Catalogue,
                new TotalRequest(Defects.Id, [new(new("estimated_cost"), Total.Sum)], new Filter.Everything()),
                hidden,
                CancellationToken.None
            )
        );
        var some = Grants.Of(
            new HashSet<string> { "x" },
            [Policy.On("x", Defects.Id, Verbs.View) with { Condition = new Filter.Holds("severity = \"critical\"") }]
        );
        var answer = Assert.IsType<TotalResult.Values>(
            await fleet.Gate.TotalAsync(
                fleet.Catalogue,
                new TotalRequest(Defects.Id, [new(new("estimated_cost"), Total.Sum)], new Filter.Everything()),
                some,
                CancellationToken.None
            )
        );
        Assert.Equal(
            await TextAsync("SELECT sum(estimated_cost) FROM defects WHERE severity = 'critical'"),
            answer.Numbers[0]!.Value.ToString(CultureInfo.InvariantCulture)
        );
        Assert.IsType<TotalResult.Invalid>(
            await fleet.Gate.TotalAsync(
                fleet.Catalogue,
                new TotalRequest(Defects.Id, [new(new("title"), Total.Sum)], new Filter.Everything()),
                Gates.All,
                CancellationToken.None
            )
        );
    }

    [Fact]
    public async Task A_record_that_is_chosen_elsewhere_narrows_in_the_database()
    {
        var (scope, values, names) = Scope(Gates.All);
        values[Chosen] = await Records(Gates.All, scope)
            .ReadAsync(Vessels, new RecordKey(["BF-101"]), scope.ReadOfRecords[Chosen], CancellationToken.None);
        var request = new ReadRequest(Defects.Id)
        {
            Filter = new Filter.Holds("AND(vessel = vessels.selected, state = \"open\")"),
            Counted = true,
            Names = names,
            Window = new PageWindow.FromStart(0, 1),
        };
        var rows = Assert.IsType<ReadResult.Rows>(await fleet.Gate.ReadAsync(fleet.Catalogue, request, Gates.All, CancellationToken.None));
        Assert.Equal(
            await TextAsync("SELECT count(*) FROM defects WHERE vessel = 'BF-101' AND state = 'open'"),
            rows.Count!.Number.ToString(CultureInfo.InvariantCulture)
        );
        Assert.All(rows.Explanation, part => Assert.Null(part.InMemory));

        values[Chosen] = null;
        Assert.Equal(
            0,
            Assert
                .IsType<ReadResult.Rows>(await fleet.Gate.ReadAsync(fleet.Catalogue, request, Gates.All, CancellationToken.None))
                .Count!.Number
        );
    }

    [Fact]
    public async Task A_record_is_read_with_what_formulas_look_at_and_lists_with_it()
    {
        var (scope, values, _) = Scope(Gates.All);
        var tree = scope.Check(scope.Page.Panels[1], new(AboutTheChosen)).Tree!;
        values[Chosen] = await Records(Gates.All, scope)
            .ReadAsync(Vessels, new RecordKey(["BF-101"]), scope.ReadOfRecords[Chosen], CancellationToken.None);
        Assert.Equal(
            await TextAsync(
                "SELECT p.name || (SELECT count(*) FROM defects WHERE vessel = 'BF-101' AND state = 'open') FROM vessels v "
                    + "JOIN ports p ON p.code = v.home_port WHERE v.hull_number = 'BF-101'"
            ),
            Compiler.Compile(tree)(
                new FormulaRecord(new FormulaShape("", []), []),
                new FormulaContext(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc) { Given = values.Given }
            )
        );
        Assert.Null(
            await Records(Gates.All, scope).ReadAsync(Vessels, new RecordKey(["BF-999"]), new FormulaNeeds(), CancellationToken.None)
        );
    }

    [Fact]
    public async Task Lists_of_several_records_are_whole_however_many_they_hold_together()
    {
        var shapes = DatasetShapes.Of(fleet.Catalogue, Gates.All);
        var tree = FormulaNames.None.Check(shapes.Of(Vessels).Shape, "COUNT(sailings)").Tree!;
        RecordKey[] keys = [.. Enumerable.Range(101, 8).Select(number => new RecordKey([$"BF-{number}"]))];
        var records = await new FormulaRecords(fleet.Gate, fleet.Catalogue, shapes, Gates.All, DateTimeOffset.UnixEpoch).ReadAsync(
            Vessels,
            keys,
            FormulaNeeds.Of([tree]),
            CancellationToken.None
        );
        var context = new FormulaContext(DateTimeOffset.UnixEpoch, TimeZoneInfo.Utc);
        Assert.Equal(8, records.Length);
        Assert.Equal(
            await TextAsync("SELECT count(*) FROM sailings"),
            records.Sum(record => (decimal)Compiler.Compile(tree)(record, context)!).ToString(CultureInfo.InvariantCulture)
        );
        Assert.True(int.Parse(await TextAsync("SELECT count(*) FROM sailings"), CultureInfo.InvariantCulture) > 10_000);
    }

    [Fact]
    public async Task Names_made_with_other_rights_open_no_door()
    {
        var (_, _, names) = Scope(Gates.All);
        var narrow = Grants.Of(new HashSet<string> { "x" }, [Policy.On("x", Defects.Id, Verbs.View)]);
        await Assert.ThrowsAsync<ArgumentException>(() =>
            fleet.Gate.ReadAsync(fleet.Catalogue, new ReadRequest(Defects.Id) { Names = names }, narrow, CancellationToken.None)
        );
    }

    private async Task<string> TextAsync(string sql) => await fleet.Database.ScalarAsync<string>($"SELECT coalesce(({sql})::text, '')");

    private const string AboutTheChosen = "vessels.selected.home_port.name & COUNT(FILTER(vessels.selected.defects, state = \"open\"))";

    private static readonly PageValue Chosen = new("vessels", "selected");

    private (PageScope Scope, PageValues Values, RequestNames Names) Scope(Grants grants)
    {
        var page = new Page
        {
            Address = "page",
            Name = "Page",
            Panels =
            [
                new TablePanel
                {
                    Name = "vessels",
                    Dataset = Vessels.Id,
                    Columns = [new("name")],
                },
                new TextPanel { Name = "text", Text = $"${{{AboutTheChosen}}}" },
            ],
        };
        var scope = PageScope.Of(page, fleet.Catalogue, DatasetShapes.Of(fleet.Catalogue, grants), null);
        var values = new PageValues(scope, null);
        return (scope, values, new RequestNames(scope.Shapes, scope.Names, values.Given));
    }

    private FormulaRecords Records(Grants grants, PageScope scope) =>
        new(fleet.Gate, fleet.Catalogue, scope.Shapes, grants, DateTimeOffset.UnixEpoch);
}
