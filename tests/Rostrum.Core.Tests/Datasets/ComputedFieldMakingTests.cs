using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

public sealed class ComputedFieldMakingTests
{
    private static readonly SourceId Source = new(Guid.NewGuid());

    private static readonly Dataset Parts = Table(
        "parts",
        [Column("id"), Column("defect_id"), Column("price")],
        new Relation
        {
            Name = new("defect"),
            Label = "Defect",
            Field = new("defect_id"),
            Target = new(Guid.Parse("00000000-0000-0000-0000-0000000000d1")),
            TargetField = new("id"),
            InverseName = new("parts"),
            InverseLabel = "Parts",
            Because = "",
        }
    );

    private static readonly Dataset Defects = Table("defects", [Column("id"), Column("hours")]) with
    {
        Id = new(Guid.Parse("00000000-0000-0000-0000-0000000000d1")),
    };

    private static Field Column(string name) =>
        new()
        {
            Name = new(name),
            Column = name,
            NativeType = "int",
            Label = name,
            Type = new FieldType.Integer(),
        };

    private static Dataset Table(string name, Field[] fields, params Relation[] relations) =>
        new()
        {
            Id = new(Guid.NewGuid()),
            Source = Source,
            Table = new TableName("", name),
            Name = new(name),
            Label = name,
            RecordLabel = name.TrimEnd('s'),
            Fields = [.. fields],
            Key = [new("id")],
            Title = [FieldPath.Of(new("id"))],
            TitleBecause = "",
            Relations = [.. relations],
        };

    private static MadeField Make(string label, string formula, Dataset? dataset = null, Field? old = null, int? decimals = null) =>
        ComputedFieldMaking.Make(new DatasetCatalogue([dataset ?? Defects, Parts]), dataset ?? Defects, old, label, formula, decimals);

    [Theory]
    [InlineData("hours * 2", null, "Number ")]
    [InlineData("hours / 3", null, "Number 2")]
    [InlineData("hours / 3", 4, "Number 4")]
    [InlineData("SUM(parts.price)", 0, "Number 0")]
    [InlineData("hours > 3", null, "YesNo")]
    [InlineData("TODAY() + hours", null, "Date")]
    [InlineData("NOW()", null, "Instant")]
    [InlineData("\"no. \" & id", null, "Text")]
    public void A_fields_type_follows_from_its_formula(string formula, int? decimals, string type)
    {
        var made = Make("Worth it?", formula, decimals: decimals);
        Assert.Null(made.Problem);
        Assert.Equal(type, made.Field!.Type is FieldType.Number number ? $"Number {number.Scale}" : made.Field.Type.GetType().Name);
        Assert.Equal("worth_it", made.Field.Name.Value);
        Assert.Equal("A formula computes it.", made.Field.ReadOnlyBecause);
        Assert.Equal(made.Field, made.Dataset!.Fields[^1]);
    }

    [Fact]
    public void A_name_that_is_taken_gets_a_number_and_a_changed_field_keeps_its_own()
    {
        var made = Make("Hours", "hours + 1");
        Assert.Equal("hours_2", made.Field!.Name.Value);
        var changed = Make("Time", "hours + 2", made.Dataset, made.Field);
        Assert.Equal(("hours_2", "Time", 3), (changed.Field!.Name.Value, changed.Field.Label, changed.Dataset!.Fields.Length));
        Assert.Equal(Defects.Fields.AsEnumerable(), ComputedFieldMaking.Without(changed.Dataset, changed.Field).Fields);
    }

    [Fact]
    public void A_circle_is_found_also_by_way_of_another_dataset()
    {
        var first = Make("Total", "hours", Defects);
        var shared = ComputedFieldMaking.Make(
            new DatasetCatalogue([first.Dataset!, Parts]),
            Parts,
            null,
            "Share",
            "price / defect.total",
            null
        );
        var circle = ComputedFieldMaking.Make(
            new DatasetCatalogue([first.Dataset!, shared.Dataset!]),
            first.Dataset!,
            first.Field,
            "Total",
            "SUM(parts.share)",
            null
        );
        Assert.Null(circle.Field);
        Assert.Contains("depends on itself", circle.Problem ?? circle.Formula.Problems[0].Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("", "hours", "Give the field a label.")]
    [InlineData("List", "parts", "This field cannot be computed: it gives a list of part, and a field holds single values.")]
    [InlineData("Itself", "itself + 1", "“itself” cannot be computed: it depends on itself, by way of itself → itself.")]
    public void What_is_wrong_beside_the_formula_is_said(string label, string formula, string problem)
    {
        var made = Make(label, formula);
        Assert.Null(made.Dataset);
        Assert.Equal(problem, made.Problem ?? made.Formula.Problems[0].Message);
    }
}
