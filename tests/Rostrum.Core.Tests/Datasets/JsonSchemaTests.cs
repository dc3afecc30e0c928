using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>A JSON text whose members are known is checked by them, and they are found in what is there.</summary>
public sealed class JsonSchemaTests
{
    private const string Schema = """
        {"type": "object", "required": ["pressure"], "properties": {
          "pressure": {"type": "number"}, "cycles": {"type": "integer", "title": "Starts"}, "ok": {"type": "boolean"},
          "kind": {"enum": ["bilge", "fire"]}, "on": {"type": "string", "format": "date"},
          "marks": {"type": "array", "items": {"type": "string"}}, "raw": {},
          "place": {"type": "object", "properties": {"deck": {"type": "string"}}, "required": ["deck"]}}}
        """;

    private static string? Problem(string json) =>
        ChangeChecks.Problem(
            new Field
            {
                Name = new FieldName("doc"),
                Column = "doc",
                NativeType = "jsonb",
                Label = "Doc",
                Type = new FieldType.Json(Schema),
            },
            json
        );

    [Theory]
    [InlineData("""{"pressure": 2.5}""", null)]
    [InlineData(
        """{"pressure": 2, "cycles": 3, "ok": false, "kind": "fire", "on": "2026-03-01", "marks": [], "raw": [1], "more": 1}""",
        null
    )]
    [InlineData("""{"pressure": 2, "place": {"deck": "car deck"}}""", null)]
    [InlineData("""{}""", "“Pressure” is missing.")]
    [InlineData("""[1]""", "This is not a JSON object.")]
    [InlineData("""{"pressure": "2"}""", "“Pressure” is no number.")]
    [InlineData("""{"pressure": 2, "cycles": 2.5}""", "“Starts” is no whole number.")]
    [InlineData("""{"pressure": 2, "kind": "lube"}""", "“Kind” is no choice of bilge, fire.")]
    [InlineData("""{"pressure": 2, "on": "1 Mar 2026"}""", "“On” is no date.")]
    [InlineData("""{"pressure": 2, "marks": "a"}""", "“Marks” is no list of texts.")]
    [InlineData("""{"pressure": 2, "place": {}}""", "“Place, Deck” is missing.")]
    [InlineData("""{"pressure": 2, "place": "car deck"}""", "“Place” is no object.")]
    public void A_value_is_checked_by_its_shape(string json, string? problem) => Assert.Equal(problem, Problem(json));

    [Theory]
    [InlineData("")]
    [InlineData("[]")]
    [InlineData("{")]
    [InlineData("""{"type": "object"}""")]
    [InlineData("""{"type": "array", "properties": {"a": {}}}""")]
    [InlineData("""{"type": "object", "properties": {"a": {}}, "required": [1]}""")]
    public void What_is_no_schema_of_an_object_is_refused(string schema) => Assert.NotNull(JsonSchema.Read(schema).Problem);

    [Fact]
    public void A_shape_is_found_in_samples_and_all_of_them_fit_it()
    {
        string[] samples =
        [
            """{"pressure": 2, "on": "2026-03-01", "kind": "fire", "place": {"deck": "car deck"}, "marks": ["a"]}""",
            """{"pressure": 2.5, "on": "2026-03-02", "kind": "bilge", "place": {"deck": "bridge", "side": "port"}, "marks": []}""",
            .. Enumerable
                .Range(0, 6)
                .Select(number =>
                    $$"""
                        {"pressure": {{number}}, "on": "2026-04-0{{number + 1}}", "kind": "{{(number % 2 == 0 ? "fire" : "bilge")}}",
                         "place": {"deck": "d{{number}}"}, "x": [1]}
                        """
                ),
            "null",
            "not json",
        ];
        var schema = JsonSchema.SchemaOf(samples)!;
        var shape = JsonSchema.Read(schema).Shape!;
        Assert.Equal(
            "pressure number required, on date required, kind choice required, place object required, marks texts, x any",
            string.Join(
                ", ",
                shape.Members.Select(member =>
                    $"{member.Name} {member.Kind.ToString().ToLower(CultureInfo.InvariantCulture)}{(member.Required ? " required" : "")}"
                )
            )
        );
        Assert.Equal(["deck", "side"], shape.Members.Single(member => member.Name == "place").Members.Select(member => member.Name));
        Assert.All(samples.Where(sample => sample.StartsWith('{')), sample => Assert.Null(shape.Problem(sample)));
        Assert.Null(JsonSchema.SchemaOf(["1", "[]"]));
        using var parsed = JsonDocument.Parse(schema);
        Assert.Equal("object", parsed.RootElement.GetProperty("type").GetString());
    }

    [Fact]
    public void A_type_with_a_shape_is_kept_as_it_is()
    {
        FieldType type = new FieldType.Json(Schema);
        var read = JsonSerializer.Deserialize<FieldType>(JsonSerializer.Serialize(type, KindJson.Options), KindJson.Options);
        Assert.Equal(Schema, Assert.IsType<FieldType.Json>(read).Schema);
        Assert.NotNull(((FieldType.Json)read!).Shape);
    }
}
