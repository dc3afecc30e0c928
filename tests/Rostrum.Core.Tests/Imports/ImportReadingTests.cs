using System.Globalization;
using System.Text;
using FsCheck;
using FsCheck.Fluent;
using Rostrum.Core.Datasets;
using Rostrum.Core.Imports;
using Rostrum.Core.Tests.Datasets;

namespace Rostrum.Core.Tests.Imports;

/// <summary>How the text, the numbers and the days of a file are recognised, and its cells read.</summary>
public sealed class ImportReadingTests
{
    private static readonly RecordFormat Format = Formats.British;

    private static Field Of(FieldType type) => Samples.Field("f", type);

    private static string? Read(CellForm form, FieldType type, string text) =>
        form.Read(Of(type), text, Format) switch
        {
            Parsed.Value { Is: { } value } => FieldText.ToCanonical(type, value),
            Parsed.Value => "",
            _ => null,
        };

    [Theory]
    [InlineData("a,b\n1,2\n", ',')]
    [InlineData("a;b;c\n1,5;2,5;3\n\"x;y\";2;3\n", ';')]
    [InlineData("a\tb\n1\t2\n", '\t')]
    [InlineData("a|b\n1|2\n3|4,5\n", '|')]
    [InlineData("one column\nand, once, commas\nnone\n", ',')]
    [InlineData("\"line\none\";2\n\"3\";4\n", ';')]
    public void The_delimiter_is_what_parts_most_lines_alike(string text, char delimiter) =>
        Assert.Equal(delimiter, TextForm.DelimiterOf(text));

    [Fact]
    public void The_encoding_is_that_of_the_mark_or_utf_8_or_that_of_old_programs()
    {
        Assert.Equal("utf-8", TextForm.EncodingOf(Encoding.UTF8.GetBytes("Bodø, Ærø")));
        Assert.Equal("utf-8", TextForm.EncodingOf(Encoding.UTF8.GetBytes("Bodø").AsSpan(0, 4)));
        Assert.Equal("windows-1252", TextForm.EncodingOf(Encoding.Latin1.GetBytes("Bodø, Ærø")));
        Assert.Equal("utf-16", TextForm.EncodingOf([.. Encoding.Unicode.Preamble, .. Encoding.Unicode.GetBytes("Bodø")]));
        Assert.Equal("utf-16BE", TextForm.EncodingOf([.. Encoding.BigEndianUnicode.Preamble, 0, 65]));
        Assert.Equal("utf-8", TextForm.EncodingOf([]));
    }

    [Theory]
    [InlineData("1.234,50|7,5", true, DateOrder.DayMonthYear)]
    [InlineData("1,234.50|7.5", false, DateOrder.DayMonthYear)]
    [InlineData("3/31/2026|1/2/2026", false, DateOrder.MonthDayYear)]
    [InlineData("31.3.2026|1.2.2026|4,5", true, DateOrder.DayMonthYear)]
    [InlineData("1,234|5,678", false, DateOrder.DayMonthYear)]
    public void Numbers_and_days_are_as_most_cells_have_them(string cells, bool comma, DateOrder order) =>
        Assert.Equal(new CellForm(comma, order), CellForm.Of(cells.Split('|'), Format.Culture));

    [Theory]
    [InlineData(false, "1,234.50", "1234.50")]
    [InlineData(true, "1.234,50", "1234.50")]
    [InlineData(true, "€ 1 250,5", "1250.5")]
    [InlineData(false, "-12", "-12")]
    [InlineData(false, "12 %", "12")]
    [InlineData(true, "1.5", null)]
    [InlineData(false, "12,34,567", null)]
    [InlineData(false, "1.2.3", null)]
    [InlineData(false, "twelve", null)]
    [InlineData(false, " ", "")]
    public void A_number_is_read_with_its_groups_or_not_at_all(bool comma, string text, string? number) =>
        Assert.Equal(number, Read(new CellForm(comma, DateOrder.DayMonthYear), new FieldType.Number(), text));

    [Theory]
    [InlineData(DateOrder.DayMonthYear, "1/2/2026", "2026-02-01")]
    [InlineData(DateOrder.MonthDayYear, "1/2/2026", "2026-01-02")]
    [InlineData(DateOrder.MonthDayYear, "2026-02-01", "2026-02-01")]
    [InlineData(DateOrder.DayMonthYear, "1 Feb 2026", "2026-02-01")]
    [InlineData(DateOrder.YearMonthDay, "2026-02-01 00:00:00", "2026-02-01")]
    [InlineData(DateOrder.DayMonthYear, "today", null)]
    [InlineData(DateOrder.DayMonthYear, "2 weeks ago", null)]
    [InlineData(DateOrder.DayMonthYear, "1/2", null)]
    [InlineData(DateOrder.DayMonthYear, "31/2/2026", null)]
    public void A_day_is_one_that_does_not_depend_on_today(DateOrder order, string text, string? day) =>
        Assert.Equal(day, Read(new CellForm(false, order), new FieldType.Date(), text));

    [Fact]
    public void Choices_are_known_by_value_and_label_and_yes_by_many_words()
    {
        var form = new CellForm(false, DateOrder.DayMonthYear);
        var choice = new FieldType.Choice(["open", "closed"]);
        Assert.Equal("open", Read(form, choice, " OPEN "));
        Assert.Null(Read(form, choice, "ajar"));
        Assert.Equal(
            ["true", "true", "false", null],
            new[] { "x", "Yes", "0", "maybe" }.Select(text => Read(form, new FieldType.YesNo(), text))
        );
    }

    [Fact]
    public void What_a_download_made_harmless_is_as_it_was()
    {
        var form = new CellForm(false, DateOrder.DayMonthYear);
        Assert.Equal("=1+1", Read(form, new FieldType.Text(), "'=1+1"));
        Assert.Equal("'tis", Read(form, new FieldType.Text(), "'tis"));
    }

    [Law(1_000)]
    public Property Numbers_and_days_written_in_either_way_are_read_back() =>
        Prop.ForAll(
            (from cents in Gen.Choose(-2_000_000_000, 2_000_000_000) from day in Gen.Choose(0, 80_000) select (cents, day)).ToArbitrary(),
            pair =>
            {
                var (number, day) = (pair.cents / 100m, new DateOnly(1900, 1, 1).AddDays(pair.day));
                return new[] { ("de-DE", true, DateOrder.DayMonthYear), ("en-US", false, DateOrder.MonthDayYear) }.All(way =>
                {
                    var (culture, form) = (CultureInfo.GetCultureInfo(way.Item1), new CellForm(way.Item2, way.Item3));
                    return Read(form, new FieldType.Number(), number.ToString("N2", culture))
                            == number.ToString("0.00", CultureInfo.InvariantCulture)
                        && Read(form, new FieldType.Date(), day.ToString("d", culture)) == day.ToString("O", CultureInfo.InvariantCulture);
                });
            }
        );
}
