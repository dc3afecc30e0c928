using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Tests.Formulas;

/// <summary>Fields that a formula gives, beside those that a column holds: whatever a request says of them, they behave alike.</summary>
public sealed class ComputedFieldTests(FleetWithDefects fleet) : IClassFixture<FleetWithDefects>
{
    private readonly DatasetCatalogue _catalogue = new(
        fleet.Catalogue.All.Select(dataset =>
            dataset.Name.Value switch
            {
                "vessels" => dataset with
                {
                    Fields =
                    [
                        .. dataset.Fields,
                        Computed("load", "cars / berths"),
                        Computed("open_cost", "SUM(FILTER(defects, state = \"open\").cost)"),
                        Computed("mark", "\"no. \" & id", new FieldType.Text()),
                        Computed("root", "SQRT(cars)"),
                        Computed("dear", "open_cost > 40", new FieldType.YesNo()),
                        Computed("first", "second + 1"),
                        Computed("second", "first + 1"),
                        Computed("broken", "carz * 2"),
                        Computed("worked", "WORKDAY(built, 1)", new FieldType.Date()),
                        Computed("next", "seen + 1", new FieldType.Instant()),
                    ],
                },
                "ports" => dataset with { Fields = [.. dataset.Fields, Computed("fleet_cost", "SUM(vessels.open_cost)")] },
                _ => dataset,
            }
        )
    );

    private static Field Computed(string name, string formula, FieldType? type = null) =>
        new()
        {
            Name = new(name),
            Column = "",
            NativeType = "",
            Label = name,
            Type = type ?? new FieldType.Number(),
            Formula = formula,
        };

    private ReadRequest Request(params string[] fields) =>
        new(_catalogue.Named("vessels").Id)
        {
            Fields = [new("id"), .. fields.Select(field => new FieldName(field))],
            Window = new PageWindow.FromStart(0, 400),
            Sort = [new SortBy(new("id"))],
            Counted = true,
        };

    private Task<ReadResult.Rows> RowsAsync(ReadRequest request, Grants? grants = null) =>
        Gates.RowsAsync(fleet.Gate, _catalogue, request, grants);

    [Fact]
    public async Task They_are_read_as_other_fields_are_also_those_that_follow_from_each_other_and_from_other_datasets()
    {
        var rows = await RowsAsync(Request("load", "open_cost", "mark", "root", "dear"));
        Assert.Equal(
            await fleet.Database.ScalarAsync<decimal>("SELECT sum(cost) FROM defects WHERE state = 'open'"),
            rows.Records.Sum(record => (decimal)record[new("open_cost")]!)
        );
        Assert.Equal("no. 7", rows.Records[6][new("mark")]);
        Assert.Equal(7m, rows.Records[6][new("root")]);
        Assert.All(rows.Records, record => Assert.Equal((decimal)record[new("open_cost")]! > 40, record[new("dear")]));
        var ports = await RowsAsync(new ReadRequest(_catalogue.Named("ports").Id) { Fields = [new("fleet_cost")] });
        Assert.Equal(
            await fleet.Database.ScalarAsync<decimal>(
                "SELECT sum(cost) FROM defects d JOIN vessels v ON v.id = d.vessel_id WHERE d.state = 'open' AND v.port IS NOT NULL"
            ),
            ports.Records.Sum(record => (decimal)record[new("fleet_cost")]!)
        );
        Assert.All(ports.Explanation, part => Assert.Null(part.InMemory));
    }

    [Theory]
    [InlineData("open_cost")]
    [InlineData("load")]
    [InlineData("root")]
    [InlineData("mark")]
    [InlineData("worked")]
    [InlineData("next")]
    public async Task They_sort_narrow_and_count_wherever_they_are_computed(string field)
    {
        var name = new FieldName(field);
        var all = await RowsAsync(Request(field) with { Sort = [new SortBy(name, Descending: true)] });
        Assert.Equal(302, all.Records.Length);
        var value = all.Records[20][name];
        var same = all.Records.Count(record => Equals(record[name], value));
        Assert.Equal(same, (await RowsAsync(Request() with { Filter = new Filter.OneOf(name, [value]) })).Count!.Number);
        Assert.Equal(
            all.Records.Count(record => record[name] is null),
            (await RowsAsync(Request() with { Filter = new Filter.OneOf(name, [null]) })).Count!.Number
        );
        Assert.Equal(
            302 - same,
            (await RowsAsync(Request() with { Filter = new Filter.Not(new Filter.OneOf(name, [value])) })).Count!.Number
        );
        if (field is not "mark")
        {
            var above = (await RowsAsync(Request() with { Filter = new Filter.Compare(name, Comparison.AtLeast, value!) })).Count!.Number;
            var below = (await RowsAsync(Request() with { Filter = new Filter.Compare(name, Comparison.Less, value!) })).Count!.Number;
            Assert.Equal(all.Records.Count(record => record[name] is not null), above + below);
        }

        var groups = Assert.IsType<GroupResult.Groups>(
            await fleet.Gate.GroupAsync(
                _catalogue,
                new GroupRequest(_catalogue.Named("vessels").Id, name, new Filter.Everything(), "", 1000),
                Gates.All,
                CancellationToken.None
            )
        );
        Assert.Equal(302, groups.Values.Sum(group => group.Count));
        Assert.Equal(same, groups.Values.Single(group => Equals(group.Value, value)).Count);
    }

    [Fact]
    public async Task A_computed_text_is_searched_also_where_it_is_not_shown()
    {
        var found = await RowsAsync(Request() with { Search = "no. 301" });
        Assert.Equal(301L, Assert.Single(found.Records)[new("id")]);
        Assert.Equal(1, (await RowsAsync(Request() with { Filter = new Filter.Contains(new("mark"), "NO. 301") })).Count!.Number);
    }

    [Theory]
    [InlineData("first", "“value”: “first” cannot be computed: it depends on itself, by way of first → second → first.")]
    [InlineData("broken", "“value”: “broken” cannot be computed: Unknown name “carz”. Did you mean “cars”?")]
    public async Task One_with_a_problem_is_left_out_and_others_are_not_computed_with_it(string field, string problem)
    {
        var rows = await RowsAsync(Request(field, "open_cost"));
        Assert.False(rows.Records[0].Has(new(field)));
        Assert.True(rows.Records[0].Has(new("open_cost")));
        Assert.Equal(
            problem,
            Assert
                .IsType<ReadResult.Invalid>(
                    await fleet.Gate.ReadAsync(
                        _catalogue,
                        Request() with
                        {
                            Computed = [new(new("value"), field)],
                        },
                        Gates.All,
                        CancellationToken.None
                    )
                )
                .Problem
        );
        Assert.IsType<ReadResult.Denied>(
            await fleet.Gate.ReadAsync(_catalogue, Request() with { Sort = [new SortBy(new(field))] }, Gates.All, CancellationToken.None)
        );
        Assert.IsType<GroupResult.Denied>(
            await fleet.Gate.GroupAsync(
                _catalogue,
                new GroupRequest(_catalogue.Named("vessels").Id, new(field), new Filter.Everything(), "", 5),
                Gates.All,
                CancellationToken.None
            )
        );
    }

    [Fact]
    public async Task One_that_reads_what_a_person_may_not_is_not_there_for_that_person()
    {
        var fields = new FieldSet.Only([new("id"), new("name"), new("load"), new("berths"), new("open_cost"), new("mark")]);
        var grants = Grants.Of(
            new HashSet<string> { "clerk" },
            [new Policy("clerk", _catalogue.Named("vessels").Id, Verbs.View, new Filter.Everything(), fields, fields)]
        );
        var rows = await RowsAsync(Request("load", "open_cost", "mark"), grants);
        Assert.Equal([false, false, true], new[] { "load", "open_cost", "mark" }.Select(field => rows.Records[0].Has(new(field))));
        foreach (
            var request in new[]
            {
                Request() with
                {
                    Sort = [new SortBy(new("load"))],
                },
                Request() with
                {
                    Filter = new Filter.OneOf(new("open_cost"), [0m]),
                },
            }
        )
        {
            Assert.IsType<ReadResult.Denied>(await fleet.Gate.ReadAsync(_catalogue, request, grants, CancellationToken.None));
        }
    }

    [Fact]
    public async Task They_are_not_written()
    {
        var vessels = _catalogue.Named("vessels");
        var refused = await fleet.Gate.SaveAsync(
            _catalogue,
            vessels,
            new Change.Update(new RecordKey([1L]), FieldValues.None, Gates.Values(("mark", "x")))
        );
        Assert.Contains(
            "A formula computes it",
            Assert.Single(Assert.IsType<SaveResult.Invalid>(refused).Problems).Message,
            StringComparison.Ordinal
        );
        var saved = await fleet.Gate.SavedAsync(
            _catalogue,
            vessels,
            new Change.Update(new RecordKey([1L]), Gates.Values(("name", "Vessel 1")), Gates.Values(("name", "Vessel 1")))
        );
        Assert.NotNull(saved.Inverse);
    }
}
