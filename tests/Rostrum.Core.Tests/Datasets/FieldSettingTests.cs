using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Datasets;

/// <summary>How fields are shown, and what new records have in them.</summary>
public sealed class FieldSettingTests
{
    private static readonly DateTimeOffset Now = new(2026, 3, 10, 12, 0, 0, TimeSpan.Zero);
    private static readonly TimeZoneInfo Zone = TimeZoneInfo.CreateCustomTimeZone("two", TimeSpan.FromHours(2), "two", "two");
    private static readonly RecordFormat Format = new(CultureInfo.GetCultureInfo("en-GB"), Zone) { Clock = new Stopped() };
    private static readonly SignedIn Pia = new("Pia Sund", "pia@brackwater.example", [])
    {
        Attributes =
        [
            new("port", new FieldType.Text(), "BRW"),
            new("since", new FieldType.Date(), new DateOnly(2020, 1, 1)),
            new("berths", new FieldType.Integer(), 3L),
        ],
    };

    private sealed class Stopped : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => Now;
    }

    private static Field Of(FieldType type, DisplayFormat? format = null, string? given = null) =>
        new()
        {
            Name = new("it"),
            Column = "it",
            NativeType = "",
            Label = "It",
            Type = type,
            Format = format,
            Default = given,
        };

    public static TheoryData<DisplayFormat, FieldType, object?, string> Shown =>
        new()
        {
            { new DisplayFormat.Money("NOK"), new FieldType.Number(), 1234.5m, "NOK\u00a01,234.50" },
            { new DisplayFormat.Money("EUR"), new FieldType.Integer(), -3L, "-€3.00" },
            { new DisplayFormat.Percent(1, false), new FieldType.Number(), 0.12345m, "12.3\u00a0%" },
            { new DisplayFormat.Percent(0, true), new FieldType.Integer(), 40L, "40\u00a0%" },
            { new DisplayFormat.Rounded(0), new FieldType.Number(10, 3), 2.5m, "3" },
            { new DisplayFormat.DayOnly(), new FieldType.Instant(), Now.AddHours(11), "11 Mar 2026" },
            { new DisplayFormat.DayOnly(), new FieldType.LocalDateTime(), new DateTime(2026, 3, 10, 23, 0, 0), "10 Mar 2026" },
            { new DisplayFormat.Relative(), new FieldType.Date(), new DateOnly(2026, 3, 10), "today" },
            { new DisplayFormat.Relative(), new FieldType.Date(), new DateOnly(2026, 3, 11), "tomorrow" },
            { new DisplayFormat.Relative(), new FieldType.Date(), new DateOnly(2026, 3, 6), "4 days ago" },
            { new DisplayFormat.Relative(), new FieldType.Date(), new DateOnly(2026, 3, 31), "in 3 weeks" },
            { new DisplayFormat.Relative(), new FieldType.Instant(), Now.AddMinutes(-90), "1 hour ago" },
            { new DisplayFormat.Relative(), new FieldType.Instant(), Now.AddSeconds(20), "now" },
            { new DisplayFormat.Options([new("open", "To do", 1)]), new FieldType.Choice(["open", "closed"]), "open", "To do" },
            { new DisplayFormat.Options([new("open", "To do", 1)]), new FieldType.Choice(["open", "closed"]), "closed", "closed" },
            { new DisplayFormat.YesNoWords("on board", "ashore"), new FieldType.YesNo(), false, "ashore" },
            { new DisplayFormat.EmailAddress(), new FieldType.Text(), "a@b.example", "a@b.example" },
            { new DisplayFormat.Money("NOK"), new FieldType.Number(), null, "" },
            { new DisplayFormat.Money("NOK"), new FieldType.Number(), new Unreadable("number out of range"), "number out of range" },
            { new DisplayFormat.Percent(0, false), new FieldType.Number(), decimal.MaxValue, "79,228,162,514,264,337,593,543,950,335" },
        };

    [Theory]
    [MemberData(nameof(Shown))]
    public void A_value_is_shown_in_its_fields_format(DisplayFormat format, FieldType type, object? value, string shown)
    {
        Assert.True(format.Fits(type));
        Assert.Equal(shown, Format.Display(Of(type, format), value));
    }

    [Fact]
    public void Settings_are_kept_exactly()
    {
        var field = Of(new FieldType.Choice(["a"]), new DisplayFormat.Options([new("a", "A <b>", 3)]), "=user.name") with
        {
            ReadOnly = true,
        };
        var text = JsonSerializer.Serialize(field, KindJson.Options);
        Assert.Equal(text, JsonSerializer.Serialize(JsonSerializer.Deserialize<Field>(text, KindJson.Options), KindJson.Options));
    }

    public static TheoryData<FieldType, string, object?> Defaults =>
        new()
        {
            { new FieldType.Text(), "=user.name", "Pia Sund" },
            { new FieldType.Text(), "=user.port", "BRW" },
            { new FieldType.Text(), "asked", "asked" },
            { new FieldType.Date(), "=TODAY() + 7", new DateOnly(2026, 3, 17) },
            { new FieldType.Date(), "2026-01-31", new DateOnly(2026, 1, 31) },
            { new FieldType.Date(), "=user.since", new DateOnly(2020, 1, 1) },
            { new FieldType.Instant(), "=NOW()", Now },
            { new FieldType.Instant(), "=TODAY()", new DateTimeOffset(2026, 3, 9, 22, 0, 0, TimeSpan.Zero) },
            { new FieldType.LocalDateTime(), "=NOW()", new DateTime(2026, 3, 10, 14, 0, 0) },
            { new FieldType.Integer(), "=user.berths * 2", 6L },
            { new FieldType.Number(), "12.5", 12.5m },
            { new FieldType.YesNo(), "=1 < 2", true },
            { new FieldType.Choice(["open"]), "open", "open" },
            { new FieldType.Integer(), "=BLANK", null },
        };

    [Theory]
    [MemberData(nameof(Defaults))]
    public void A_default_is_a_constant_or_a_formula(FieldType type, string given, object? value) =>
        Assert.Equal(value, Assert.IsType<Parsed.Value>(FieldDefault.Value(Of(type, given: given), Pia, new FormulaContext(Now, Zone))).Is);

    [Theory]
    [InlineData("=1.5", "The formula gives a number with decimals, and the field holds whole ones.")]
    [InlineData("=user.name", "The formula gives a text, which does not fit here.")]
    [InlineData("=usr.name", "Unknown name “usr”. Did you mean “user”?")]
    [InlineData("soon", "“soon” is not a number. Write digits, with a point for decimals.")]
    [InlineData("=99", "This must lie between 0 and 9.")]
    public void A_default_of_the_wrong_type_says_so(string given, string problem)
    {
        var field = Of(new FieldType.Integer(0, 9), given: given);
        Assert.Equal(problem, Assert.IsType<Parsed.Problem>(FieldDefault.Value(field, Pia, new FormulaContext(Now, Zone))).Message);
    }
}
