using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>CHECK constraints become rules in plain words, and columns' names and values become formats.</summary>
public sealed class CheckTests
{
    private static readonly ImmutableArray<ColumnStructure> Columns =
    [
        new("id", new FieldType.Integer(), "integer", false),
        new("rating", new FieldType.Integer(), "integer", true),
        new("starts_on", new FieldType.Date(), "date", false),
        new("ends_on", new FieldType.Date(), "date", true),
        new("iata_code", new FieldType.Text(), "text", false),
        new("unit_price", new FieldType.Number(12, 2), "numeric(12,2)", false),
        new("discount_pct", new FieldType.Number(5, 2), "numeric(5,2)", true),
        new("contact_email", new FieldType.Text(), "text", true),
        new("active", new FieldType.YesNo(), "boolean", false),
    ];

    private static Dataset Draft(params string[] checks) =>
        DatasetDrafting.Draft(
            new SourceId(Guid.Empty),
            new SourceStructure([
                new TableStructure
                {
                    Name = new("public", "offers"),
                    Columns = Columns,
                    PrimaryKey = ["id"],
                    Checks = [.. checks],
                },
            ]),
            [],
            Formats.British,
            _ => new DatasetId(Guid.NewGuid())
        )[0];

    [Theory]
    [InlineData("((rating >= 1) AND (rating <= 5))", "rating >= 1 | Rating must be at least 1.", "rating <= 5 | Rating must be at most 5.")]
    [InlineData("((rating IS NULL) OR (rating > 0))", "rating > 0 | Rating must be more than 0.")]
    [InlineData("(rating BETWEEN 1 AND 5)", "rating >= 1 | Rating must be at least 1.", "rating <= 5 | Rating must be at most 5.")]
    [InlineData("(ends_on >= starts_on)", "ends_on >= starts_on | Ends on must be on or after Starts on.")]
    [InlineData("(starts_on >= '2020-11-12'::date)", "starts_on >= DATE(2020, 11, 12) | Starts on must be on or after 12 Nov 2020.")]
    [InlineData(
        "(length(iata_code) = 3)",
        "LEN(iata_code) >= 3 | IATA code must have at least 3 characters.",
        "LEN(iata_code) <= 3 | IATA code must have at most 3 characters."
    )]
    [InlineData("(char_length((iata_code)::text) <= (3)::numeric)", "LEN(iata_code) <= 3 | IATA code must have at most 3 characters.")]
    [InlineData("(unit_price >= (0)::numeric)", "unit_price >= 0 | Unit price must be at least 0.")]
    [InlineData("(0 < `unit_price`)", "unit_price > 0 | Unit price must be more than 0.")]
    [InlineData("(rating = ANY (ARRAY[1, 2, 5]))", "OR(rating = 1, rating = 2, rating = 5) | Rating must be 1 or 2 or 5.")]
    [InlineData("rating IN (1, 2)", "OR(rating = 1, rating = 2) | Rating must be 1 or 2.")]
    [InlineData("(NOT (rating < 0))", "rating >= 0 | Rating must be at least 0.")]
    [InlineData("(iata_code ~ '^[A-Z]{3}$'::text)", "MATCHES(iata_code, \"^[A-Z]{3}$\") | IATA code must look like “ABC”.")]
    [InlineData("(iata_code ~~ 'BF-%'::text)", "STARTSWITH(iata_code, \"BF-\") | IATA code must start with “BF-”.")]
    public void A_check_becomes_rules(string check, params string[] rules) =>
        Assert.Equal(rules, Draft(check).Rules.Cast<Rule.Holds>().Select(rule => $"{rule.Must} | {rule.Message}".Replace('\u00a0', ' ')));

    [Theory]
    [InlineData("(iata_code ~ '^[[:upper:]]+$'::text)")]
    [InlineData("(iata_code ~ '[A-Z]'::text)")]
    [InlineData("(iata_code ~* '^[A-Z]+$'::text)")]
    [InlineData("(iata_code !~ '^[A-Z]+$'::text)")]
    [InlineData("(iata_code ~~ 'B_-%'::text)")]
    [InlineData("(iata_code <> ''::text)")]
    [InlineData("(starts_on IS NOT NULL)")]
    [InlineData("((unit_price * (2)::numeric) > (10)::numeric)")]
    [InlineData("(rating > 0")]
    [InlineData("(unknown > 0)")]
    [InlineData("")]
    public void What_conditions_cannot_say_gives_no_rule(string check) => Assert.Empty(Draft(check).Rules);

    [Theory]
    [InlineData("^BF-[0-9]+$", "BF-1")]
    [InlineData("^[A-Z]{2}\\d{3,5}$", "AB123")]
    [InlineData("^[a-z_]+\\.[a-z]{2,}$", "a.bc")]
    [InlineData("^[A-Za-z0-9]{4}/?$", "ABCD")]
    [InlineData("^(a|b)$", null)]
    [InlineData("^a", null)]
    [InlineData("^$", null)]
    public void A_simple_pattern_has_an_example_that_fits(string pattern, string? example)
    {
        var given = SimplePattern.Read(pattern)?.Example();
        Assert.Equal(example, given);
        Assert.True(given is null || System.Text.RegularExpressions.Regex.IsMatch(given, pattern, default, TimeSpan.FromSeconds(1)));
    }

    [Fact]
    public void A_check_over_several_fields_holds_where_they_are_given()
    {
        var rule = Assert.IsType<Rule.Holds>(Assert.Single(Draft("((active) OR (rating > 3))").Rules));
        Assert.Null(rule.Field);
        Assert.Equal("NOT(ISEMPTY(rating))", rule.When);
        Assert.Equal("OR(active = TRUE, rating > 3)", rule.Must);
        Assert.Equal("This must hold: active is yes or rating is more than 3.", rule.Message);
    }

    [Fact]
    public void Names_and_values_say_how_values_are_shown()
    {
        var drafted = Draft();
        DisplayFormat? Of(string name) => drafted[new FieldName(name)].Format;
        Assert.Equal(new DisplayFormat.Money("EUR"), Of("unit_price"));
        Assert.Equal(new DisplayFormat.Percent(2, OfHundred: true), Of("discount_pct"));
        Assert.Equal(new DisplayFormat.EmailAddress(), Of("contact_email"));
        Assert.Null(Of("rating"));
        Assert.Equal("Discount %", drafted[new FieldName("discount_pct")].Label);
    }

    [Theory]
    [InlineData("text[]", "{a,\"b, \\\"c\\\"\",NULL}", "a, b, \"c\", NULL")]
    [InlineData("text[]", "{}", "")]
    [InlineData("integer[]", "{{1,2},{3,4}}", "{{1,2},{3,4}}")]
    [InlineData(
        "jsonb",
        "{\"tested\": true, \"by\": \"Ida\", \"tags\": [1, 2], \"deep\": {\"a\": 1}}",
        "tested: yes; by: Ida; tags: 1, 2; deep: {\"a\": 1}"
    )]
    [InlineData("json", "[\"one\", null]", "one, –")]
    [InlineData("json", "not json", "not json")]
    [InlineData("interval", "1 day 02:00:00", "1 day 02:00:00")]
    public void What_is_left_alone_is_shown_readably(string type, string text, string words) =>
        Assert.Equal(words, NativeWords.Of(type, text));

    [Theory]
    [InlineData("GBP", "en-GB", "£1,250.00")]
    [InlineData("EUR", "de-DE", "1.250,00 €")]
    [InlineData("JPY", "en-GB", "¥1,250")]
    [InlineData("CHF", "en-GB", "CHF 1,250.00")]
    [InlineData("CHF", "de-DE", "1.250,00 CHF")]
    public void Money_has_its_sign(string currency, string culture, string shown)
    {
        var format = RecordFormat.For(System.Globalization.CultureInfo.GetCultureInfo(culture), TimeZoneInfo.Utc);
        var field = new Field
        {
            Name = new("price"),
            Column = "price",
            NativeType = "numeric",
            Label = "Price",
            Type = new FieldType.Number(),
            Format = new DisplayFormat.Money(currency),
        };
        Assert.Equal(shown, format.Display(field, 1250m).Replace('\u00a0', ' '));
    }
}
