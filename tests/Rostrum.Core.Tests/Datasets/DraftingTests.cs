using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Tests.Datasets;

public sealed class DraftingTests
{
    private static readonly TableStructure Ports = new()
    {
        Name = new("public", "ports"),
        Columns = [Text("code", 3), Text("name", 60), new("berths", new FieldType.Integer(), "integer", false)],
        PrimaryKey = ["code"],
        UniqueKeys =
        [
            ["name"],
        ],
    };

    private static readonly TableStructure Routes = new()
    {
        Name = new("public", "routes"),
        Columns = [Text("code", 6), Text("origin_port", 3), Text("destination_port", 3), Text("relief_port", 3) with { Nullable = true }],
        PrimaryKey = ["code"],
        ForeignKeys = [Key("relief_port"), Key("origin_port"), Key("destination_port")],
    };

    private static readonly TableStructure Calls = new()
    {
        Name = new("public", "port_calls"),
        Columns =
        [
            new("id", new FieldType.Integer(), "bigint", false, Generation: ColumnGeneration.IdentityAlways),
            Text("port_code", 3),
            new("capturedAt", new FieldType.Instant(), "timestamptz", false),
            new("scan", new FieldType.Bytes(), "bytea", true),
        ],
        PrimaryKey = ["id"],
    };

    private static readonly TableStructure Odd = new()
    {
        Name = new("public", "Odd Ones"),
        Columns =
        [
            new("Straße/Ö", new FieldType.Text(), "text", true),
            new("order", new FieldType.Text(), "text", true),
            new("Order", new FieldType.Text(), "text", true),
            new("1st", new FieldType.Text(), "text", true),
            new("\"\"", new FieldType.Text(), "text", true),
        ],
    };

    private static readonly SourceStructure Structure = new([Ports, Routes, Calls, Odd]);

    private static ColumnStructure Text(string name, int length) => new(name, new FieldType.Text(length), $"varchar({length})", false);

    private static ForeignKey Key(string column) => new([column], new("public", "ports"), ["code"]);

    private static Dataset Draft(string name, params RelationEvidence[] evidence) =>
        DatasetDrafting
            .Draft(new SourceId(Guid.Empty), Structure, evidence, Formats.British, _ => new DatasetId(Guid.NewGuid()))
            .Single(dataset => dataset.Name.Value == name);

    private static Dataset Draft(TableStructure table) =>
        Assert.Single(
            DatasetDrafting.Draft(new SourceId(Guid.Empty), new SourceStructure([table]), [], Formats.British, _ => new DatasetId(
                Guid.NewGuid()
            ))
        );

    private static string TitleOf(Dataset dataset) => string.Join(" + ", dataset.Title);

    [Theory]
    [InlineData("captured_at", "Captured at")]
    [InlineData("capturedAt", "Captured at")]
    [InlineData("CAPTURED AT", "Captured at")]
    [InlineData("IMONumber", "IMO number")]
    [InlineData("po_no", "PO number")]
    [InlineData("no_of_seats", "No of seats")]
    [InlineData("discount_pct", "Discount %")]
    [InlineData("percent_done", "Percent done")]
    [InlineData("vat_amt", "VAT amount")]
    [InlineData("external_id", "External ID")]
    [InlineData("url", "URL")]
    [InlineData("idle", "Idle")]
    [InlineData("a", "A")]
    public void A_columns_name_becomes_words(string name, string label) => Assert.Equal(label, Wording.Label(name));

    [Theory]
    [InlineData("PO number", "PO number")]
    [InlineData("Discount %", "discount %")]
    [InlineData("Home Port ID", "home port ID")]
    public void A_label_within_a_sentence_keeps_its_abbreviations(string label, string words) =>
        Assert.Equal(words, Wording.InSentence(label));

    [Theory]
    [InlineData("people", "title first_name last_name company", "first_name + last_name")]
    [InlineData("contacts", "company full_name", "full_name")]
    [InlineData("customers", "street company", "company")]
    [InlineData("products", "bank_name product_name", "product_name")]
    [InlineData("products", "code bank_name", "bank_name")]
    [InlineData("orders", "remarks number!", "number")]
    [InlineData("logs", "remarks word", "word")]
    [InlineData("logs", "remarks", "remarks")]
    public void The_title_is_what_names_the_record_best(string table, string columns, string title)
    {
        var names = columns.Split(' ');
        var structure = new TableStructure
        {
            Name = new("public", table),
            Columns = [.. names.Select(name => new ColumnStructure(name.TrimEnd('!'), new FieldType.Text(), "text", false))],
            UniqueKeys = [.. names.Where(name => name.EndsWith('!')).Select(name => ImmutableArray.Create(name.TrimEnd('!')))],
        };
        var dataset = Draft(structure);
        Assert.Equal(title, TitleOf(dataset));
        Assert.All(dataset.Title, part =>
            Assert.Contains($"“{dataset[part.Field].Label}”", dataset.TitleBecause, StringComparison.Ordinal)
        );
    }

    [Fact]
    public void What_tells_records_apart_together_names_them_where_nothing_else_does()
    {
        var seats = new TableStructure
        {
            Name = new("public", "seats"),
            Columns =
            [
                new("id", new FieldType.Integer(), "integer", false),
                new("deck", new FieldType.Text(10), "varchar(10)", false),
                new("place", new FieldType.Integer(), "integer", false),
                new("remarks", new FieldType.Text(40), "varchar(40)", true),
            ],
            PrimaryKey = ["id"],
            UniqueKeys =
            [
                ["deck", "place"],
            ],
        };
        var dataset = Draft(seats);
        Assert.Equal("deck + place", TitleOf(dataset));
        Assert.Equal("No field is called a name, and “Deck” and “Place” together are different in each record.", dataset.TitleBecause);
        Assert.Equal(
            "remarks",
            TitleOf(
                Draft(
                    seats with
                    {
                        UniqueKeys =
                        [
                            ["deck", "remarks"],
                        ],
                        Columns = seats.Columns.RemoveAt(1),
                    }
                )
            )
        );
    }

    [Fact]
    public void A_text_without_a_limit_is_long_by_its_name_or_its_values_and_not_by_its_type()
    {
        var structure = Ports with
        {
            Columns =
            [
                .. Ports.Columns,
                new("town", new FieldType.Text(), "text", true),
                new("short_description", new FieldType.Text(), "text", true),
                new("history", new FieldType.Text(Long: true), "text", true),
                Text("address", 256),
            ],
        };
        Assert.Equal(
            ["short_description", "history", "address"],
            Draft(structure).Fields.Where(field => field.Type.IsLong).Select(field => field.Name.Value)
        );
    }

    [Theory]
    [InlineData("Defects", "defect")]
    [InlineData("Fuel logs", "fuel log")]
    [InlineData("Companies", "company")]
    [InlineData("Boxes", "box")]
    [InlineData("Bus", "bus")]
    [InlineData("Classes", "class")]
    public void One_of_many_has_a_name(string many, string one) => Assert.Equal(one, Wording.Singular(many));

    [Theory]
    [InlineData("Upkeep", "upkeep")]
    [InlineData("Größe der Fähren", "grosse-der-fahren")]
    [InlineData("船", "app")]
    [InlineData("2026 plan", "app-2026-plan")]
    [InlineData("=1/0 ; DROP", "app-10-drop")]
    public void An_address_has_letters_that_stand_in_any_address(string name, string address) =>
        Assert.Equal(address, Wording.Address(name));

    [Fact]
    public void Three_links_between_the_same_two_tables_are_kept_apart_in_both_directions()
    {
        var relations = Draft("routes").Relations;
        Assert.Equal(["Origin port", "Destination port", "Relief port"], relations.Select(relation => relation.Label));
        Assert.Equal(
            ["routes_as_origin_port", "routes_as_destination_port", "routes_as_relief_port"],
            relations.Select(relation => relation.InverseName.Value)
        );
    }

    [Fact]
    public void A_field_called_name_is_the_title() => Assert.Equal("name", TitleOf(Draft("ports")));

    [Fact]
    public void Where_nothing_is_called_a_name_the_title_is_put_together_from_code_and_relations() =>
        Assert.Equal("code + origin_port.name + destination_port.name", TitleOf(Draft("routes")));

    [Fact]
    public void Values_that_all_stand_in_another_tables_key_make_a_relation_and_say_so()
    {
        var candidate = Assert.Single(ImpliedRelations.Candidates(Structure));
        Assert.Equal(new RelationCandidate(Calls.Name, "port_code", Ports.Name, "code"), candidate);
        var relation = Assert.Single(Draft("port_calls", new RelationEvidence(candidate, 9, 9)).Relations);
        Assert.Equal(("port", "port_calls", false), (relation.Name.Value, relation.InverseName.Value, relation.Declared));
        Assert.Contains("all 9 values", relation.Because, StringComparison.Ordinal);
        Assert.Empty(Draft("port_calls", new RelationEvidence(candidate, 9, 8)).Relations);
        var nearly = Assert.Single(Draft("port_calls", new RelationEvidence(candidate, 40, 39)).Relations);
        Assert.Contains("39 of 40 values", nearly.Because, StringComparison.Ordinal);
        Assert.EndsWith("1 does not.", nearly.Because, StringComparison.Ordinal);
    }

    [Fact]
    public void Technical_columns_are_hidden_and_say_why()
    {
        var calls = Draft("port_calls");
        Assert.Equal(["id", "scan"], calls.Fields.Where(field => field.Hidden).Select(field => field.Name.Value));
        Assert.All(calls.Fields, field => Assert.Equal(field.Hidden, field.HiddenBecause is not null));
        Assert.False(Draft("routes")[new("code")].Hidden);
    }

    [Fact]
    public void Columns_of_any_spelling_get_names_of_their_own_that_formulas_can_write()
    {
        var odd = Draft("odd_ones");
        Assert.Equal(["straßeö", "order", "order_2", "field_1st", "field"], odd.Fields.Select(field => field.Name.Value));
        Assert.Equal(["Straße/Ö", "order", "Order", "1st", "\"\""], odd.Fields.Select(field => field.Column));
    }

    [Theory]
    [InlineData("'minor'::severity", "minor")]
    [InlineData("'all year'::character varying", "all year")]
    [InlineData("0", "0")]
    [InlineData("-1.5", "-1.5")]
    [InlineData("false", "No")]
    [InlineData("now()", null)]
    [InlineData("'a'::text || 'b'::text", null)]
    [InlineData("('x'::text)", null)]
    [InlineData("''::text", null)]
    [InlineData("'it''s'::text", null)]
    [InlineData(null, null)]
    public void A_plain_default_is_known_and_an_expression_is_left_to_the_source(string? expression, string? usual)
    {
        var table = Ports with { Columns = Ports.Columns.SetItem(2, Ports.Columns[2] with { Default = expression }) };
        Assert.Equal(usual, Draft(table)[new("berths")].UsualValue);
    }

    [Fact]
    public void A_table_without_a_key_is_read_only_and_says_why()
    {
        Assert.Contains("no primary key", Draft("odd_ones").ReadOnlyBecause, StringComparison.Ordinal);
        Assert.Null(Draft("ports").ReadOnlyBecause);
    }
}
