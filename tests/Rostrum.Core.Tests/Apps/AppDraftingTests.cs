using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Tests.Apps;

public sealed class AppDraftingTests
{
    private static readonly ImmutableArray<Dataset> Datasets = DatasetDrafting.Draft(
        new SourceId(Guid.Empty),
        new SourceStructure([
            Table(
                "parts",
                ["number"],
                [],
                "sort_order",
                "legacy_id",
                "number",
                "name",
                "unit_code",
                "created_at=",
                "updated_at",
                "changed_by!"
            ),
            Table("units", ["code"], [], "code", "name"),
            Table("labels", ["code"], [], "code", "word"),
            Table(
                "part_labels",
                ["part_number", "label_code"],
                [Key("part_number", "parts", "number"), Key("label_code", "labels", "code")],
                "part_number",
                "label_code"
            ),
            Table(
                "stock",
                ["part_number", "label_code"],
                [Key("part_number", "parts", "number"), Key("label_code", "labels", "code")],
                "part_number",
                "label_code",
                "quantity"
            ),
        ]),
        [new RelationEvidence(new(new("public", "parts"), "unit_code", new("public", "units"), "code"), 4, 4)],
        Formats.British,
        _ => new DatasetId(Guid.NewGuid())
    );

    // A column ends in "!" where it is never blank, and in "=" where it has a default.
    private static TableStructure Table(
        string name,
        ImmutableArray<string> key,
        ImmutableArray<ForeignKey> foreign,
        params string[] columns
    ) =>
        new()
        {
            Name = new("public", name),
            PrimaryKey = key,
            ForeignKeys = foreign,
            Columns =
            [
                .. columns.Select(column => new ColumnStructure(
                    column.TrimEnd('!', '='),
                    column.Contains("_at", StringComparison.Ordinal) ? new FieldType.Instant() : new FieldType.Text(20),
                    "varchar(20)",
                    Nullable: !key.Contains(column) && column[^1] is not '!' and not '=',
                    column.EndsWith('=') ? "now()" : null
                )),
            ],
        };

    private static ForeignKey Key(string column, string table, string target) => new([column], new("public", table), [target]);

    private static Dataset Of(string name) => Datasets.Single(dataset => dataset.Name.Value == name);

    private static AppDefinition Draft(params string[] names) =>
        AppDrafting.Draft("Stores", [.. names.Select(Of)], ["builder"], new DatasetCatalogue(Datasets), RecordOpening.Page);

    [Fact]
    public void Tables_that_link_others_or_only_name_a_code_are_not_in_the_menu_while_those_that_refer_to_them_are()
    {
        Assert.Equal(
            ["parts", "stock"],
            Draft("parts", "units", "labels", "part_labels", "stock")
                .Pages.Where(page => !page.Unlisted)
                .Select(page => page.Address)
                .Order()
        );
        Assert.Equal(["units"], Draft("units").Pages.Where(page => !page.Unlisted).Select(page => page.Address));
        Assert.Equal(["part_labels"], Draft("part_labels").Pages.Where(page => !page.Unlisted).Select(page => page.Address));
    }

    [Fact]
    public void Names_stand_first_in_a_list_and_ids_and_sort_orders_last() =>
        Assert.Equal(
            ["name", "number", "unit_code", "created_at", "updated_at", "changed_by", "sort_order", "legacy_id"],
            AppDrafting.Table("parts", Of("parts")).Columns.Select(name => name.Value)
        );

    [Theory]
    [InlineData("created_at", "name")]
    [InlineData("left_at", "left_at")]
    public void A_list_is_read_from_the_newest_where_something_happens_and_else_by_name(string moment, string order)
    {
        var made = new Field
        {
            Name = new(moment),
            Column = moment,
            NativeType = "timestamptz",
            Label = Wording.Label(moment),
            Type = new FieldType.Instant(),
            Required = true,
            HasDefault = true,
            ReadOnly = moment == "created_at",
        };
        var parts = Of("parts");
        Assert.Equal(order, Assert.Single(AppDrafting.UsualOrder(parts with { Fields = [made, .. parts.Fields.Skip(1)] })).Field.Value);
    }

    [Fact]
    public void What_the_table_or_nobody_need_set_is_shown_and_not_asked_for()
    {
        var panels = Draft("parts").Pages[^1].Panels;
        Assert.Contains(new FieldName("created_at"), Assert.IsType<RecordPanel>(panels[0]).Fields);
        var asked = Assert.IsType<FormPanel>(panels[1]).Fields.Select(name => name.Value).ToArray();
        Assert.DoesNotContain("created_at", asked);
        Assert.DoesNotContain("updated_at", asked);
        Assert.DoesNotContain("changed_by", asked);
        Assert.Equal(
            [(null, false), ("=NOW()", true), ("=user.name", true)],
            new[] { "created_at", "updated_at", "changed_by" }
                .Select(name => Of("parts")[new FieldName(name)])
                .Select(field => (field.Default, field.IsRenewed))
        );
    }
}
