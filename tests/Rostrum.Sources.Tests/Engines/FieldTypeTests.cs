using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Tests.Engines;

/// <summary>Values of each type come as they stand in the database, go back as they were typed, and formulas know them.</summary>
public sealed class FieldTypeTests
{
    private const string Postgres = """
        CREATE TABLE kinds (id int PRIMARY KEY, words text[], numbers int[], amounts numeric(8,2)[], days date[], doc jsonb, plain json,
          span interval, host inet, net cidr, card macaddr, tags text[] CHECK (tags <@ ARRAY['red', 'it''s']::text[]),
          moods mood[])
        """;

    private const string First = """
        INSERT INTO kinds VALUES (1, '{a,"b, c",NULL}', '{1,-2}', '{1.50,2}', '{2026-03-01}', '{"b": [1, null], "a": "x"}', '{"a" : 1}',
          '2 days 03:20:00', '10.0.0.7', '10.0.0.0/24', '08:00:2b:01:02:03', '{red}', '{calm,"far off"}'),
          (2, '{}', NULL, NULL, NULL, 'null', NULL, '1 month', '10.0.0.0/8', NULL, NULL, NULL, NULL),
          (3, '{{a,b},{c,d}}', NULL, NULL, NULL, NULL, NULL, '-00:00:01.5', 'fe80::1', NULL, NULL, NULL, NULL)
        """;

    private static ReadRequest All(Dataset dataset) =>
        new(dataset.Id) { Fields = [.. dataset.Fields.Select(field => field.Name)], Sort = [new SortBy(new("id"))] };

    private static async Task<string[][]> RowsAsync(EngineSource source, DatasetCatalogue catalogue, Dataset kinds)
    {
        var read = Assert.IsType<ReadResult.Rows>(await source.Gate.ReadAsync(catalogue, All(kinds), Gates.All, CancellationToken.None));
        return
        [
            .. read.Records.Select(record =>
                kinds
                    .Fields.Where(field => field.Name.Value != "id")
                    .Select(field =>
                        record[field.Name] switch
                        {
                            null => "",
                            Unreadable unreadable => unreadable.Reason,
                            var value => FieldText.ToInput(field.Type, value, TimeZoneInfo.Utc),
                        }
                    )
                    .ToArray()
            ),
        ];
    }

    [Fact]
    public async Task Values_of_postgresqls_own_types_are_read_entered_and_computed_with()
    {
        await using var source = await EngineSource.CreateAsync(
            "postgres",
            "CREATE TYPE mood AS ENUM ('calm', 'far off', 'wild')",
            Postgres,
            First
        );
        var catalogue = await source.DraftAsync();
        var kinds = catalogue.Named("kinds");
        Assert.Equal(
            ["calm", "far off", "wild"],
            ((FieldType.Choice)((FieldType.List)kinds[new("moods")].Type).Element).Options.AsEnumerable()
        );
        Assert.Equal(["red", "it's"], ((FieldType.Choice)((FieldType.List)kinds[new("tags")].Type).Element).Options.AsEnumerable());
        var rows = await RowsAsync(source, catalogue, kinds);
        Assert.Equal(
            [
                "a, \"b, c\", ",
                "1, -2",
                "1.50, 2.00",
                "2026-03-01",
                """{"a": "x", "b": [1, null]}""",
                """{"a" : 1}""",
                "2 d 3:20",
                "10.0.0.7",
                "10.0.0.0/24",
                "08:00:2b:01:02:03",
                "red",
                "calm, far off",
            ],
            rows[0]
        );
        Assert.Equal(["", "", "", "", "null", "", "a duration of months", "10.0.0.0/8", "", "", "", ""], rows[1]);
        Assert.Equal("lists within a list", rows[2][0]);
        Assert.Equal(("-0:00:01.5", "fe80::1"), (rows[2][6], rows[2][7]));

        // What was read is written into another record, and is the same there.
        var first = Assert.IsType<ReadResult.Rows>(await source.Gate.ReadAsync(catalogue, All(kinds), Gates.All, default)).Records[0];
        var copy = new Change.Insert(first.Values(kinds.Fields.Select(field => field.Name)).With(new("id"), 4L));
        Assert.IsType<SaveResult.Saved>(await source.Gate.SaveAsync(catalogue, new ChangeSet(kinds.Id, [copy]), Gates.All, default));
        Assert.Equal(rows[0], (await RowsAsync(source, catalogue, kinds))[3]);
        var wrong = new Change.Update(
            new RecordKey([4L]),
            FieldValues.None,
            new FieldValues([new(new("tags"), new ListValue(["green"])), new(new("words"), new ListValue(["x\\\"{},", ""]))])
        );
        Assert.IsType<SaveResult.Invalid>(await source.Gate.SaveAsync(catalogue, new ChangeSet(kinds.Id, [wrong]), Gates.All, default));

        var asked = All(kinds) with
        {
            Fields = [],
            Computed =
            [
                new ComputedColumn(new("count"), "COUNT(words)"),
                new ComputedColumn(new("sum"), "SUM(numbers)"),
                new ComputedColumn(new("length"), "ROUND(span, 2)"),
                new ComputedColumn(new("a"), "IF(CONTAINS(words, \"b, c\"), \"yes\", \"no\")"),
                new ComputedColumn(new("said"), "host & \"!\""),
            ],
        };
        var computed = Assert.IsType<ReadResult.Rows>(await source.Gate.ReadAsync(catalogue, asked, Gates.All, default)).Records[0];
        Assert.Equal(
            (2m, -1m, 2.14m, "yes", "10.0.0.7!"),
            (computed[new("count")], computed[new("sum")], computed[new("length")], computed[new("a")], computed[new("said")])
        );

        // Page formulas look at single records.
        var shapes = DatasetShapes.Of(catalogue, Gates.All);
        var shape = shapes.Of(kinds);
        var needs = new FormulaNeeds();
        needs.Values.UnionWith(new[] { "words", "doc", "span" }.Select(shape.Shape.IndexOf));
        var record = await new FormulaRecords(source.Gate, catalogue, shapes, Gates.All, DateTimeOffset.UtcNow).ReadAsync(
            kinds,
            new RecordKey([1L]),
            needs,
            default
        );
        Assert.Equal(["a", "b, c", null], (IReadOnlyList<object?>)record![shape.Shape.IndexOf("words")]!);
        Assert.Equal("x", ((System.Text.Json.JsonElement)record[shape.Shape.IndexOf("doc")]!).GetProperty("a").GetString());
    }

    [Fact]
    public async Task A_set_of_mariadb_is_several_choices_and_its_json_is_entered()
    {
        await using var source = await EngineSource.CreateAsync(
            "mysql",
            "CREATE TABLE kinds (id int PRIMARY KEY, tags SET('red', 'blue', 'it''s'), doc JSON)",
            "INSERT INTO kinds VALUES (1, 'red,it''s', '{\"a\": 1}'), (2, '', NULL), (3, NULL, NULL)"
        );
        var catalogue = await source.DraftAsync();
        var kinds = catalogue.Named("kinds");
        Assert.Equal(
            [
                ["red, it's", """{"a": 1}"""],
                ["", ""],
                ["", ""],
            ],
            await RowsAsync(source, catalogue, kinds)
        );
        var change = new Change.Update(
            new RecordKey([3L]),
            FieldValues.None,
            new FieldValues([new(new("tags"), new ListValue(["blue", "red"])), new(new("doc"), "[1]")])
        );
        Assert.IsType<SaveResult.Saved>(await source.Gate.SaveAsync(catalogue, new ChangeSet(kinds.Id, [change]), Gates.All, default));
        Assert.Equal(["red, blue", "[1]"], (await RowsAsync(source, catalogue, kinds))[2]);
    }
}
