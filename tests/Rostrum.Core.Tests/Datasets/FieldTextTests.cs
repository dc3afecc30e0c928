using System.Collections.Immutable;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Datasets;

public sealed class FieldTextTests
{
    [Theory]
    [InlineData("Kittiwake", 20, "Kittiwake")]
    [InlineData("Kittiwake", 4, "Kitt… (9 characters)")]
    [InlineData("Kit🚢wake", 4, "Kit… (9 characters)")]
    public void A_long_text_is_shown_by_its_beginning(string text, int most, string shown) => Assert.Equal(shown, Excerpt.Of(text, most));

    private static readonly TimeZoneInfo Oslo = TimeZoneInfo.FindSystemTimeZoneById("Europe/Oslo");

    public static Arbitrary<TypedValue> AnyValue() =>
        Arb.From(
            Gen.OneOf(
                Gen.Choose(int.MinValue, int.MaxValue).Select(number => new TypedValue(new FieldType.Integer(), (long)number)),
                ArbMap.Default.GeneratorFor<decimal>().Select(number => new TypedValue(new FieldType.Number(), number)),
                ArbMap.Default.GeneratorFor<NonNull<string>>().Select(text => new TypedValue(new FieldType.Text(), text.Get)),
                ArbMap.Default.GeneratorFor<bool>().Select(yes => new TypedValue(new FieldType.YesNo(), yes)),
                Gen.Choose(0, DateOnly.MaxValue.DayNumber).Select(day => new TypedValue(new FieldType.Date(), DateOnly.FromDayNumber(day))),
                Gen.Choose(0, 86_399)
                    .Select(second => new TypedValue(
                        new FieldType.Time(),
                        TimeOnly.MinValue.Add(TimeSpan.FromSeconds(second) + TimeSpan.FromTicks(second * 10))
                    )),
                ArbMap
                    .Default.GeneratorFor<DateTime>()
                    .Select(at => new TypedValue(new FieldType.Instant(), new DateTimeOffset(DateTime.SpecifyKind(at, DateTimeKind.Utc)))),
                ArbMap
                    .Default.GeneratorFor<DateTime>()
                    .Select(at => new TypedValue(new FieldType.LocalDateTime(), DateTime.SpecifyKind(at, DateTimeKind.Unspecified))),
                ArbMap.Default.GeneratorFor<Guid>().Select(id => new TypedValue(new FieldType.Uuid(), id)),
                ArbMap
                    .Default.GeneratorFor<NonNull<string>>()
                    .ArrayOf()
                    .Where(texts => texts.Length > 0)
                    .Select(texts => new TypedValue(
                        new FieldType.List(new FieldType.Text()),
                        new ListValue([.. texts.Select(text => text.Get.ReplaceLineEndings("\n").Replace('\0', '0') + "!")])
                    )),
                ArbMap
                    .Default.GeneratorFor<int>()
                    .ArrayOf()
                    .Where(numbers => numbers.Length > 0)
                    .Select(numbers => new TypedValue(
                        new FieldType.List(new FieldType.Integer()),
                        new ListValue([.. numbers.Select(number => $"{number}")])
                    )),
                Gen.Choose(int.MinValue, int.MaxValue)
                    .Select(second => new TypedValue(
                        new FieldType.Duration(),
                        TimeSpan.FromSeconds(second) + TimeSpan.FromMicroseconds(second % 999)
                    )),
                Gen.Elements("{}", "[1, 2.50]", "\"text\"", "{\"a\": {\"b\": null}}")
                    .Select(json => new TypedValue(new FieldType.Json(), json)),
                Gen.Elements("10.0.0.7", "10.0.0.0/24", "fe80::1").Select(one => new TypedValue(new FieldType.NetworkAddress(), one)),
                ArbMap.Default.GeneratorFor<byte[]>().Select(bytes => new TypedValue(new FieldType.Bytes(), bytes ?? []))
            )
        );

    public sealed record TypedValue(FieldType Type, object Value);

    [Law(2000, Arbitrary = [typeof(FieldTextTests)])]
    public void Canonical_text_gives_the_same_value_back(TypedValue typed)
    {
        var read = FieldText.FromCanonical(typed.Type, FieldText.ToCanonical(typed.Type, typed.Value));
        Assert.True(FieldText.SameValue(typed.Value, Assert.IsType<Parsed.Value>(read).Is));
    }

    [Law(2000, Arbitrary = [typeof(FieldTextTests)])]
    public void What_a_form_shows_is_read_as_the_same_value_to_the_thousandth_unless_the_clock_shows_it_twice(TypedValue typed)
    {
        if (
            typed.Type is FieldType.Text or FieldType.Bytes
            || (typed.Value is DateTimeOffset at && Oslo.IsAmbiguousTime(TimeZoneInfo.ConvertTime(at, Oslo).DateTime))
        )
        {
            return;
        }

        var read = FieldText.FromInput(typed.Type, FieldText.ToInput(typed.Type, typed.Value, Oslo), Oslo);
        Assert.Equal(ToTheThousandth(typed.Value), Assert.IsType<Parsed.Value>(read).Is);
    }

    private static object ToTheThousandth(object value) =>
        value switch
        {
            DateTimeOffset at => at.AddTicks(-(at.Ticks % TimeSpan.TicksPerMillisecond)),
            DateTime at => at.AddTicks(-(at.Ticks % TimeSpan.TicksPerMillisecond)),
            TimeOnly at => new TimeOnly(at.Ticks - (at.Ticks % TimeSpan.TicksPerMillisecond)),
            _ => value,
        };

    [Theory]
    [InlineData("2026-11-23T15:49:12.3456780Z", "2026-11-23T16:49:12.345")]
    [InlineData("2026-11-23T15:49:00.0000000Z", "2026-11-23T16:49")]
    public void A_moment_stands_in_an_input_as_browsers_take_it(string canonical, string shown) =>
        Assert.Equal(
            shown,
            FieldText.ToInput(
                new FieldType.Instant(),
                Assert.IsType<Parsed.Value>(FieldText.FromCanonical(new FieldType.Instant(), canonical)).Is,
                Oslo
            )
        );

    [Law(1000)]
    public void Whatever_is_typed_is_a_value_or_a_problem(NonNull<string> typed)
    {
        foreach (
            var type in new FieldType[]
            {
                new FieldType.Integer(),
                new FieldType.Number(),
                new FieldType.Date(),
                new FieldType.Time(),
                new FieldType.Instant(),
                new FieldType.LocalDateTime(),
                new FieldType.YesNo(),
                new FieldType.Uuid(),
                new FieldType.Text(),
                new FieldType.Bytes(),
                new FieldType.Json(),
                new FieldType.Duration(),
                new FieldType.NetworkAddress(),
                new FieldType.NetworkAddress(OfCard: true),
                new FieldType.List(new FieldType.Date()),
            }
        )
        {
            Assert.NotNull(FieldText.FromInput(type, typed.Get, Oslo));
            Assert.NotNull(FieldText.FromCanonical(type, typed.Get));
        }
    }

    [Theory]
    [InlineData("abc", "“abc” is not a number. Write digits, with a point for decimals.")]
    [InlineData("12,5", "“12,5” is not a number. Write digits, with a point for decimals.")]
    [InlineData(
        "99999999999999999999999999999999",
        "“99999999999999999999999999999999” is not a number. Write digits, with a point for decimals."
    )]
    public void A_text_that_is_no_number_says_so(string typed, string message) =>
        Assert.Equal(new Parsed.Problem(message), FieldText.FromInput(new FieldType.Number(), typed, Oslo));

    [Theory]
    [InlineData("3:20", "03:20:00", "3:20")]
    [InlineData("2 d 3:20:05", "2.03:20:05", "2 d 3:20:05")]
    [InlineData("90 min", "01:30:00", "1:30")]
    [InlineData("1.5h", "01:30:00", "1:30")]
    [InlineData("2h 30", "02:30:00", "2:30")]
    [InlineData("1 day 2h 5m", "1.02:05:00", "1 d 2:05")]
    [InlineData("-1d", "-1.00:00:00", "-1 d")]
    [InlineData("0:00:01.5", "00:00:01.5000000", "0:00:01.5")]
    public void A_duration_is_read_as_people_write_it(string typed, string canonical, string shown)
    {
        var span = Assert.IsType<Parsed.Value>(FieldText.FromInput(new FieldType.Duration(), typed, Oslo)).Is!;
        Assert.Equal(
            (canonical, shown),
            (FieldText.ToCanonical(new FieldType.Duration(), span), Formats.British.Display(new FieldType.Duration(), span))
        );
    }

    [Theory]
    [InlineData("soon")]
    [InlineData("3:75")]
    [InlineData("99999999999999 d")]
    public void What_is_no_duration_is_said(string typed) =>
        Assert.IsType<Parsed.Problem>(FieldText.FromInput(new FieldType.Duration(), typed, Oslo));

    [Theory]
    [InlineData("red, blue", "red|blue")]
    [InlineData("\"a, b\", \"say \"\"no\"\"\"", "a, b|say \"no\"")]
    [InlineData("red\nblue", "red|blue")]
    public void A_list_is_read_from_one_line(string typed, string items) =>
        Assert.Equal(
            new ListValue([.. items.Split('|')]),
            Assert.IsType<Parsed.Value>(FieldText.FromInput(new FieldType.List(new FieldType.Text()), typed, Oslo)).Is
        );

    [Fact]
    public void Of_several_choices_each_is_there_once_and_one_that_is_none_is_said()
    {
        var type = new FieldType.List(new FieldType.Choice(["red", "blue"]));
        Assert.Equal(new ListValue(["red"]), Assert.IsType<Parsed.Value>(FieldText.FromInput(type, ",red,red", Oslo)).Is);
        Assert.Null(Assert.IsType<Parsed.Value>(FieldText.FromInput(type, ",", Oslo)).Is);
        var field = Samples.Field("colours", type);
        Assert.Equal("“green” is not one of the choices.", ChangeChecks.Problem(field, new ListValue(["red", "green"])));
    }

    [Theory]
    [InlineData("{\"a\": 1", false)]
    [InlineData("{\"a\": 1}", true)]
    [InlineData("10", true)]
    public void JSON_is_checked(string typed, bool isSound) =>
        Assert.Equal(isSound, FieldText.FromInput(new FieldType.Json(), typed, Oslo) is Parsed.Value);

    [Theory]
    [InlineData("10.0.0.300", false, false)]
    [InlineData("10.0.1", false, false)]
    [InlineData("10.0.0.0/33", false, false)]
    [InlineData("fe80::1/64", false, true)]
    [InlineData("08:00:2b:01:02:03", true, true)]
    [InlineData("08:00", true, false)]
    public void A_network_address_is_checked(string typed, bool ofCard, bool isSound) =>
        Assert.Equal(isSound, FieldText.FromInput(new FieldType.NetworkAddress(ofCard), typed, Oslo) is Parsed.Value);

    public static TheoryData<DisplayFormat, string, bool> Forms =>
        new()
        {
            { new DisplayFormat.EmailAddress(), "egil@brackwater.example", true },
            { new DisplayFormat.EmailAddress(), "egil at brackwater", false },
            { new DisplayFormat.EmailAddress(), "a@b@c", false },
            { new DisplayFormat.WebAddress(), "https://brackwater.example/berths?x=1", true },
            { new DisplayFormat.WebAddress(), "javascript:alert(1)", false },
            { new DisplayFormat.WebAddress(), "brackwater", false },
            { new DisplayFormat.PhoneNumber(), "+44 1632 960 017 ext 12", true },
            { new DisplayFormat.PhoneNumber(), "none", false },
        };

    [Theory]
    [MemberData(nameof(Forms))]
    public void A_text_with_a_form_of_its_own_is_held_to_it(DisplayFormat format, string text, bool isSound) =>
        Assert.Equal(isSound, ChangeChecks.Problem(Samples.Field("text", new FieldType.Text()) with { Format = format }, text) is null);

    [Fact]
    public void A_time_that_the_clocks_skip_is_refused() =>
        Assert.IsType<Parsed.Problem>(FieldText.FromInput(new FieldType.Instant(), "2026-03-29T02:30", Oslo));

    [Fact]
    public void A_typed_instant_is_read_in_the_workspaces_zone()
    {
        var read = FieldText.FromInput(new FieldType.Instant(), "2026-07-01T12:00", Oslo);
        Assert.Equal(new DateTimeOffset(2026, 7, 1, 10, 0, 0, TimeSpan.Zero), Assert.IsType<Parsed.Value>(read).Is);
    }

    [Theory]
    [InlineData("")]
    [InlineData("   ")]
    public void Nothing_typed_is_a_blank(string typed) =>
        Assert.Null(Assert.IsType<Parsed.Value>(FieldText.FromInput(new FieldType.Date(), typed, Oslo)).Is);
}

public sealed class RecordFormatTests
{
    private static readonly RecordFormat British = RecordFormat.For(
        System.Globalization.CultureInfo.GetCultureInfo("en-GB"),
        TimeZoneInfo.FindSystemTimeZoneById("Europe/London")
    );

    public static TheoryData<FieldType, object?, string> Displayed =>
        new()
        {
            { new FieldType.Date(), new DateOnly(1999, 9, 4), "04 Sep 1999" },
            { new FieldType.Instant(), new DateTimeOffset(2026, 7, 1, 23, 30, 0, TimeSpan.Zero), "02 Jul 2026 00:30" },
            { new FieldType.LocalDateTime(), new DateTime(2026, 7, 1, 23, 30, 0), "01 Jul 2026 23:30" },
            { new FieldType.Number(10, 2), 1234.5m, "1,234.50" },
            { new FieldType.Number(), 0.000100m, "0.0001" },
            { new FieldType.Integer(), -12345L, "-12,345" },
            { new FieldType.YesNo(), false, "No" },
            { new FieldType.Text(), null, "" },
            { new FieldType.Date(), new Unreadable("date out of range"), "date out of range" },
        };

    [Theory]
    [MemberData(nameof(Displayed))]
    public void A_value_is_written_in_the_workspaces_way(FieldType type, object? value, string text) =>
        Assert.Equal(text, British.Display(type, value));

    [Fact]
    public void Every_month_has_the_same_width() =>
        Assert.Single(
            Enumerable.Range(1, 12).Select(month => British.Display(new FieldType.Date(), new DateOnly(2026, month, 1)).Length).Distinct()
        );
}

public sealed class RecordKeyTests
{
    private static readonly Dataset Pair = Samples.Dataset(
        "pairs",
        [Samples.Field("one", new FieldType.Text()), Samples.Field("two", new FieldType.Integer())]
    ) with
    {
        Key = [new("one"), new("two")],
    };

    [Property]
    public void A_keys_text_names_the_same_record(NonNull<string> one, long two)
    {
        var key = new RecordKey([one.Get, two]);
        Assert.Equal(key, RecordKey.Parse(Pair, key.ToText(Pair)));
    }

    [Theory]
    [InlineData("only-one")]
    [InlineData("one~x")]
    [InlineData("one~2~three")]
    [InlineData("")]
    public void A_text_that_names_no_record_gives_none(string text) => Assert.Null(RecordKey.Parse(Pair, text));

    [Property]
    public void A_cursor_survives_its_address(NonNull<string> first, long second)
    {
        var cursor = new PageCursor([first.Get, null, $"{second}"]);
        Assert.Equal(cursor.Values.ToArray(), PageCursor.Parse(cursor.ToText())!.Values.ToArray());
    }

    [Property]
    public void Any_other_text_is_no_cursor_and_no_fault(NonNull<string> text)
    {
        var parsed = PageCursor.Parse(text.Get);
        Assert.True(parsed is null || !parsed.Values.IsDefault);
    }
}

internal static class Samples
{
    public static Field Field(string name, FieldType type) =>
        new()
        {
            Name = new(name),
            Column = name,
            NativeType = "text",
            Label = name,
            Type = type,
        };

    public static Dataset Dataset(string name, ImmutableArray<Field> fields) =>
        new()
        {
            Id = new DatasetId(Guid.NewGuid()),
            Source = new SourceId(Guid.NewGuid()),
            Table = new TableName("public", name),
            Name = new(name),
            Label = char.ToUpperInvariant(name[0]) + name[1..],
            RecordLabel = name.TrimEnd('s'),
            Fields = fields,
            Key = [fields[0].Name],
            Title = [FieldPath.Of(fields[0].Name)],
            TitleBecause = "a sample",
        };
}
