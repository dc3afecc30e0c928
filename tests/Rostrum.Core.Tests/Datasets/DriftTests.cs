using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Drift;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>A source that changes under its datasets.</summary>
public sealed class DriftTests
{
    private static readonly SourceId Source = new(Guid.NewGuid());

    private static ColumnStructure Column(string name, FieldType? type = null, string native = "text", bool nullable = true) =>
        new(name, type ?? new FieldType.Text(), native, nullable);

    private static readonly TableStructure Vessels = new()
    {
        Name = new("public", "vessels"),
        Columns = [Column("hull", nullable: false), Column("name", nullable: false)],
        PrimaryKey = ["hull"],
    };

    private static readonly TableStructure Defects = new()
    {
        Name = new("public", "defects"),
        Columns =
        [
            Column("id", new FieldType.Integer(), "integer", false),
            Column("vessel"),
            Column("title", nullable: false),
            Column("cost", new FieldType.Number(8, 2), "numeric(8,2)"),
            Column("state", new FieldType.Choice(["open", "closed"]), "state"),
        ],
        PrimaryKey = ["id"],
        ForeignKeys = [new ForeignKey(["vessel"], new("public", "vessels"), ["hull"])],
    };

    private static readonly SourceStructure Was = new([Defects, Vessels]);

    // What a builder has made of it.
    private static readonly ImmutableArray<Dataset> Known =
    [
        .. DatasetDrafting
            .Draft(Source, Was, [], Formats.British, _ => new DatasetId(Guid.NewGuid()))
            .Select(dataset =>
                dataset.Name.Value == "vessels"
                    ? dataset
                    : dataset with
                    {
                        Fields =
                        [
                            .. dataset.Fields.Select(field =>
                                field.Name.Value == "title" ? field with { Label = "What", Type = new FieldType.Choice(["a", "b"]) } : field
                            ),
                            new Field
                            {
                                Name = new("twice"),
                                Column = "",
                                NativeType = "",
                                Label = "Twice",
                                Type = new FieldType.Number(),
                                Formula = "cost * 2",
                            },
                        ],
                        Rules =
                        [
                            new Rule.Holds("cost >= 0")
                            {
                                Name = "r",
                                Field = new("cost"),
                                Message = "Not less than nothing.",
                            },
                        ],
                    }
            ),
    ];

    private static Dataset DefectsOf(IEnumerable<Dataset> all) => all.Single(dataset => dataset.Table.Name == "defects");

    private static TableStructure With(TableStructure table, params ColumnStructure[] columns) => table with { Columns = [.. columns] };

    private static SourceStructure Now(params TableStructure[] tables) => new([.. tables]);

    private static ImmutableArray<Dataset> Accept(SourceStructure now) =>
        DriftAcceptance.Accept(Source, Known, Was, now, [], Formats.British);

    private static string[] Effects(SourceStructure now, params Policy[] policies)
    {
        var app = new AppDefinition(
            "Maintenance",
            [
                new Page
                {
                    Address = "defects",
                    Name = "Defects",
                    Panels =
                    [
                        new TablePanel
                        {
                            Name = "defects",
                            Dataset = DefectsOf(Known).Id,
                            Columns = [new("title"), new("cost")],
                            SheetFields = [new("title")],
                        },
                        new CardsPanel
                        {
                            Name = "cards",
                            Dataset = DefectsOf(Known).Id,
                            Fields = [new("title")],
                        },
                        new TextPanel { Name = "greeting", Text = "They cost ${defects.selected.cost}." },
                    ],
                },
            ]
        );
        return
        [
            .. DriftEffects
                .Of(
                    new DatasetCatalogue(Known),
                    new DatasetCatalogue(Accept(now)),
                    [app],
                    policies.Select(policy => ("Engineer", policy)),
                    null
                )
                .Select(effect => $"{effect.What}: {effect.Message}"),
        ];
    }

    [Fact]
    public void Nothing_changed_is_nothing_to_say_and_accepting_it_changes_nothing()
    {
        Assert.Empty(StructureDrift.Compare(Was, Was));
        Assert.Empty(Effects(Was));
        var text = System.Text.Json.JsonSerializer.Serialize(Known, KindJson.Options);
        Assert.Equal(text, System.Text.Json.JsonSerializer.Serialize(Accept(Was), KindJson.Options));
    }

    [Fact]
    public void Every_kind_of_change_is_named()
    {
        var now = Now(
            With(
                Defects,
                Column("id", new FieldType.Integer(), "bigint", false),
                Column("vessel", nullable: false),
                Column("title", nullable: false) with
                {
                    Default = "'x'",
                },
                Column("state", new FieldType.Choice(["open", "done"]), "state"),
                Column("due", new FieldType.Date(), "date")
            ) with
            {
                ForeignKeys = [],
                PrimaryKey = [],
            },
            new TableStructure { Name = new("public", "ports"), Columns = [Column("code")] }
        );
        Assert.Equal(
            [
                "defects.id Changed It is bigint now, and was integer.",
                "defects.vessel Changed It may no longer be blank.",
                "defects.title Changed The table's default is 'x' now.",
                "defects.cost Removed The column is gone.",
                "defects.state Changed New choices: done. Choices that are gone: closed.",
                "defects.due Added A new column: date.",
                "defects. Changed It has no primary key any more.",
                "defects. Removed No foreign key says any more that vessel refers to vessels.",
                "vessels. Removed The table is gone.",
                "ports. Added A new table with 1 columns.",
            ],
            StructureDrift.Compare(Was, now).Select(change => $"{change.Table}.{change.Column} {change.Kind} {change.Words}")
        );
    }

    [Fact]
    public void A_column_that_goes_takes_its_field_and_breaks_what_asks_for_it()
    {
        var now = Now(
            With(Defects, [.. Defects.Columns.Where(column => column.Name != "cost"), Column("due", new FieldType.Date(), "date")]),
            Vessels
        );
        var policy = Policy.On("engineer", DefectsOf(Known).Id, Verbs.View) with { Condition = new Filter.Holds("cost < 100") };
        Assert.Equal(
            [
                "Defects: The field “Cost” goes, with what was said of it.",
                "Defects: “Twice” cannot be computed: Unknown name “cost”.",
                "Defects: The rule “Not less than nothing.”: There is no field “cost” any more.",
                "Page Defects of Maintenance: “defects”: Columns: cost is no longer there.",
                "Page Defects of Maintenance: “greeting”: Text: Unknown name “cost”.",
                "Maintenance: Where its live version asks for what is gone, it shows why and nothing else, until it is fixed "
                    + "and published again.",
                "Rights of Engineer on defects: The condition cost < 100 lets nothing through any more: Unknown name “cost”.",
            ],
            Effects(now, policy)
        );
        var after = DefectsOf(Accept(now));
        Assert.Equal(["id", "vessel", "title", "state", "twice", "due"], after.Fields.Select(field => field.Name.Value));
        Assert.Equal("What", after[new("title")].Label);
        Assert.IsType<FieldType.Choice>(after[new("title")].Type);
    }

    [Fact]
    public void A_column_of_another_type_keeps_its_settings_and_a_new_choice_is_one()
    {
        var after = DefectsOf(
            Accept(
                Now(
                    With(
                        Defects,
                        Column("id", new FieldType.Integer(), "integer", false),
                        Column("vessel"),
                        Column("title", new FieldType.Integer(), "integer"),
                        Column("cost", new FieldType.Number(8, 2), "numeric(8,2)"),
                        Column("state", new FieldType.Choice(["open", "done"]), "state")
                    ),
                    Vessels
                )
            )
        );
        Assert.Equal(
            ("What", (FieldType)new FieldType.Integer(), false),
            (after[new("title")].Label, after[new("title")].Type, after[new("title")].Required)
        );
        Assert.Equal(["open", "done"], ((FieldType.Choice)after[new("state")].Type).Options.ToArray());
    }

    [Fact]
    public void A_table_that_goes_is_kept_until_it_comes_back()
    {
        var gone = Accept(Now(Defects with { ForeignKeys = [] }));
        var vessels = gone.Single(dataset => dataset.Table.Name == "vessels");
        Assert.Equal("The table “vessels” is no longer in the source.", vessels.GoneBecause);
        Assert.Empty(DefectsOf(gone).Relations);
        Assert.Contains(
            "Vessels: The table “vessels” is no longer in the source. Nothing of it can be read until it comes back.",
            Effects(Now(Defects with { ForeignKeys = [] }))
        );
        Assert.Contains("Defects: The relation “Vessel” goes.", Effects(Now(Defects with { ForeignKeys = [] })));
        var back = DriftAcceptance.Accept(Source, gone, Now(Defects with { ForeignKeys = [] }), Was, [], Formats.British);
        Assert.Null(back.Single(dataset => dataset.Table.Name == "vessels").GoneBecause);
        Assert.Equal("vessel", Assert.Single(DefectsOf(back).Relations).Name.Value);
        Assert.Equal(vessels.Id, DefectsOf(back).Relations[0].Target);
    }

    [Fact]
    public void A_relation_that_a_builder_removed_does_not_come_back_by_itself()
    {
        ImmutableArray<Dataset> without = [.. Known.Select(dataset => dataset with { Relations = [] })];
        Assert.All(DriftAcceptance.Accept(Source, without, Was, Was, [], Formats.British), dataset => Assert.Empty(dataset.Relations));
    }

    [Fact]
    public void A_new_column_never_takes_the_name_of_a_computed_field()
    {
        var after = DefectsOf(Accept(Now(With(Defects, [.. Defects.Columns, Column("twice")]), Vessels)));
        Assert.Equal(["twice", "twice_2"], after.Fields.TakeLast(2).Select(field => field.Name.Value));
    }
}
