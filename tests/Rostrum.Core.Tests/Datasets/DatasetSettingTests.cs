using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Visuals;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>What a builder sets with a tick or a choice: demands on a field, relations, and what is wrong with a dataset.</summary>
public sealed class DatasetSettingTests
{
    private static readonly RecordFormat Format = new(CultureInfo.GetCultureInfo("en-GB"), TimeZoneInfo.Utc);

    private static readonly SourceStructure Structure = new([
        new TableStructure
        {
            Name = new("public", "ports"),
            Columns = [new("code", new FieldType.Text(3), "character(3)", false), new("berths", new FieldType.Integer(), "integer", true)],
            PrimaryKey = ["code"],
        },
        new TableStructure
        {
            Name = new("public", "calls"),
            PrimaryKey = ["id"],
            UniqueKeys =
            [
                ["ticket"],
            ],
            Columns =
            [
                new("id", new FieldType.Integer(), "integer", false),
                new("harbour", new FieldType.Text(), "text", true),
                new("due", new FieldType.Date(), "date", true),
                new("fee", new FieldType.Number(), "numeric", true),
                new("ticket", new FieldType.Text(), "text", true),
            ],
        },
    ]);

    private static readonly DatasetCatalogue Catalogue = new(
        DatasetDrafting.Draft(new(Guid.NewGuid()), Structure, [], Formats.British, _ => new(Guid.NewGuid()))
    );

    private static Dataset Named(string name) => Catalogue.All.Single(dataset => dataset.Name.Value == name);

    private static (Dataset Dataset, string? Problem) Demand(Dataset dataset, string field, FieldDemands demands)
    {
        var (changed, problem) = demands.Apply(dataset, dataset[new(field)], Format);
        return (changed ?? dataset, problem);
    }

    [Fact]
    public void Ticks_and_bounds_are_rules_and_can_be_taken_back()
    {
        var calls = Named("calls");
        var (demanding, _) = Demand(calls, "due", new(true, true, "today", "2030-01-31"));
        Assert.Equal(
            ["due >= TODAY()", "due <= DATE(2030, 1, 31)", "NOT(ISEMPTY(due))"],
            demanding.Rules.OfType<Rule.Holds>().Select(rule => rule.Must)
        );
        Assert.Equal(
            [
                "Due must be on or after today.",
                "Due must be on or before 31 Jan 2030.",
                "Due must be given.",
                "There is another call with this value.",
            ],
            demanding.Rules.Select(rule => rule.Message)
        );
        Assert.True(demanding.Requires(demanding[new("due")]));
        Assert.Equal(new(true, true, "today", "2030-01-31"), FieldDemands.Of(demanding, demanding[new("due")]));
        Assert.Empty(Demand(demanding, "due", new(false, false, "", "")).Dataset.Rules);
    }

    [Fact]
    public void Setting_the_same_again_keeps_a_message_that_somebody_wrote_and_other_rules()
    {
        var (calls, _) = Demand(Named("calls"), "fee", new(true, false, "10", ""));
        calls = calls with
        {
            Rules =
            [
                .. calls.Rules.Select(rule => rule with { Message = "Harbours take ten at least." }),
                new Rule.Holds("fee >= 5")
                {
                    Name = "mine",
                    When = "due > TODAY()",
                    Field = new("fee"),
                    Message = "Mine.",
                },
            ],
        };
        Assert.Equal(calls.Rules, Demand(calls, "fee", new(true, false, "10", "")).Dataset.Rules);
        Assert.Equal(
            ["Fee must be at least 12.5.", "Harbours take ten at least.", "Mine."],
            Demand(calls, "fee", new(true, false, "12.5", "")).Dataset.Rules.Select(rule => rule.Message)
        );
        Assert.Equal("“soon” is no number.", Demand(calls, "fee", new(false, false, "soon", "")).Problem);
    }

    [Fact]
    public void A_relation_is_made_of_a_field_and_what_it_leads_to()
    {
        var calls = Named("calls");
        Assert.Equal(
            ["calls.ticket", "ports.code"],
            RelationMaking
                .Ends(Catalogue, new Dictionary<SourceId, SourceStructure> { [calls.Source] = Structure }, calls)
                .Select(end => $"{end.Dataset.Name}.{end.Field.Name}")
                .Where(end => end != "calls.id")
                .Order(StringComparer.Ordinal)
        );
        var end = new RelationEnd(Named("ports"), Named("ports")[new("code")]);
        var (made, problem) = RelationMaking.Make(Catalogue, Structure, calls, calls[new("harbour")], end, "Port", "Calls");
        Assert.Null(problem);
        var relation = Assert.Single(made!.Relations);
        Assert.Equal(
            ("port", "calls", false, "A builder says so."),
            (relation.Name.Value, relation.InverseName.Value, relation.OneToOne, relation.Because)
        );
        Assert.True(
            Assert
                .Single(RelationMaking.Make(Catalogue, Structure, calls, calls[new("ticket")], end, "Port", "Calls").Dataset!.Relations)
                .OneToOne
        );

        Assert.Contains(
            "leads to ports already",
            RelationMaking.Make(Catalogue, Structure, made, made[new("harbour")], end, "x", "y").Problem,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "holds other values",
            RelationMaking.Make(Catalogue, Structure, calls, calls[new("due")], end, "x", "y").Problem,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "both directions",
            RelationMaking.Make(Catalogue, Structure, calls, calls[new("harbour")], end, " ", "y").Problem,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Many_are_linked_with_many_where_no_two_records_between_them_link_the_same_two()
    {
        ColumnStructure Code(string name) => new(name, new FieldType.Text(), "text", false);
        TableStructure Table(string name, string key, params string[] columns) =>
            new()
            {
                Name = new("public", name),
                PrimaryKey = [key],
                Columns = [Code(key), .. columns.Select(Code)],
            };
        var calls = Table("calls", "id", "port", "vessel", "pilot") with
        {
            UniqueKeys =
            [
                ["vessel", "port"],
            ],
            ForeignKeys =
            [
                new(["port"], new("public", "ports"), ["code"]),
                new(["vessel"], new("public", "vessels"), ["hull"]),
                new(["pilot"], new("public", "pilots"), ["name"]),
            ],
        };
        var structure = new SourceStructure([calls, Table("ports", "code"), Table("vessels", "hull"), Table("pilots", "name")]);
        var catalogue = new DatasetCatalogue(
            DatasetDrafting.Draft(new(Guid.NewGuid()), structure, [], Formats.British, _ => new(Guid.NewGuid()))
        );
        Dataset Of(string name) => catalogue.All.Single(dataset => dataset.Name.Value == name);

        var way = Assert.Single(RelationMaking.Ways(catalogue, structure, Of("ports")));
        Assert.Equal(("calls", "vessels"), (way.Between.Name.Value, way.Target.Name.Value));
        Assert.Equal("ports", Assert.Single(RelationMaking.Ways(catalogue, structure, Of("vessels"))).Target.Name.Value);
        Assert.Empty(RelationMaking.Ways(catalogue, structure, Of("pilots")));

        var linked = RelationMaking.Link(Of("ports"), way, " Callers ");
        Assert.Equal(("callers", "Callers", "calls.vessel"), (linked.Name.Value, linked.Label, linked.Formula));
        Assert.Equal("Vessels", RelationMaking.Link(Of("ports"), way, "").Label);
        Assert.Empty(RelationMaking.Ways(catalogue, structure, Of("ports") with { Linked = [linked] }));

        // A rule says it as well as the table does.
        var ruled = new DatasetCatalogue([
            .. catalogue.All.Select(dataset =>
                dataset.Name.Value != "calls"
                    ? dataset
                    : dataset with
                    {
                        Rules = [new Rule.Unique([new("pilot"), new("port")]) { Name = "once", Message = "Once." }],
                    }
            ),
        ]);
        Assert.Equal(["pilots", "vessels"], RelationMaking.Ways(ruled, structure, Of("ports")).Select(other => other.Target.Name.Value));
    }

    [Fact]
    public void What_is_wrong_with_a_dataset_is_listed_with_its_place()
    {
        var calls = Named("calls");
        var broken = calls with
        {
            Fields =
            [
                .. calls.Fields.Select(field =>
                    field.Name.Value switch
                    {
                        "harbour" => field with { Label = "<b>Fee</b> & \"co\"" },
                        "fee" => field with { Default = "=user.name", Format = new DisplayFormat.DayOnly() },
                        "ticket" => field with { Label = "fee" },
                        _ => field,
                    }
                ),
                new Field
                {
                    Name = new("a"),
                    Column = "",
                    NativeType = "",
                    Label = "A",
                    Type = new FieldType.Number(),
                    Formula = "b + 1",
                },
                new Field
                {
                    Name = new("b"),
                    Column = "",
                    NativeType = "",
                    Label = "B",
                    Type = new FieldType.Number(),
                    Formula = "a + 1",
                },
            ],
            Rules = [new Rule.Holds("AND(fee > 5, fee < 3)") { Name = "never", Message = "Never." }],
            Relations =
            [
                new Relation
                {
                    Name = new("ship"),
                    Label = "Ship",
                    Field = new("harbour"),
                    Target = new(Guid.NewGuid()),
                    TargetField = new("hull"),
                    InverseName = new("x"),
                    InverseLabel = "X",
                    Because = "",
                },
            ],
            Title = [FieldPath.Of(new("gone"))],
        };
        var catalogue = new DatasetCatalogue(Catalogue.All.Select(dataset => dataset.Id == calls.Id ? broken : dataset));
        Assert.Equal(
            string.Join(
                '\n',
                [
                    "Field fee: The default of “Fee” does not fit: The formula gives a text, which does not fit here.",
                    "Field fee (warns): “Fee” cannot be shown in the format that was chosen for it.",
                    "Field ticket (warns): 2 fields are called “Fee”. People cannot tell them apart.",
                    "Computed a: “A” cannot be computed: “a” cannot be computed: it depends on itself, by way of a → b → a.",
                    "Computed b: “B” cannot be computed: “a” cannot be computed: it depends on itself, by way of a → b → a.",
                    "Relation ship: “Ship” leads to a table that is no longer there.",
                    "Rule never (warns): The rule “Never.”: No record can ever keep this rule: its conditions exclude each other.",
                    "Title gone: The title names “gone”, which is no longer there.",
                ]
            ),
            string.Join(
                '\n',
                DatasetProblems
                    .Of(catalogue, broken, null)
                    .Select(problem => $"{problem.Part} {problem.Name}{(problem.Warns ? " (warns)" : "")}: {problem.Message}")
            )
        );
        Assert.All(Catalogue.All, dataset => Assert.Empty(DatasetProblems.Of(Catalogue, dataset, null)));
    }

    [Theory]
    [InlineData(0, 0)]
    [InlineData(1, 0)]
    [InlineData(0, 3)]
    [InlineData(5, 2)]
    [InlineData(9, 9)]
    public void In_a_diagram_no_two_boxes_overlap_nothing_leaves_it_and_no_two_lines_cross(int inward, int outward)
    {
        var diagram = RelationDiagram.Draw(
            "Routes",
            [.. Enumerable.Range(0, inward).Select(i => ($"T{i}", $"t{i}", true))],
            [.. Enumerable.Range(0, outward).Select(i => ($"P{i}", $"p{i}", false))]
        );
        Assert.Equal((inward + outward + 1, inward + outward), (diagram.Boxes.Length, diagram.Lines.Length));
        Assert.All(diagram.Boxes, box =>
            Assert.True(box.X >= 0 && box.Y >= 0 && box.X + box.Width <= diagram.Width && box.Y + box.Height <= diagram.Height)
        );
        Assert.All(diagram.Boxes, one =>
            Assert.All(diagram.Boxes.Where(other => other != one), other =>
                Assert.False(
                    one.X < other.X + other.Width
                        && other.X < one.X + one.Width
                        && one.Y < other.Y + other.Height
                        && other.Y < one.Y + one.Height
                )
            )
        );
        foreach (var side in diagram.Lines.GroupBy(line => line.X1))
        {
            var lines = side.ToArray();
            Assert.Equal(lines.OrderBy(line => line.Y1).ThenBy(line => line.Y2), lines);
            Assert.Equal(lines.OrderBy(line => line.Y2).ThenBy(line => line.Y1), lines);
        }
    }
}
