using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Tests.Apps;
using Rostrum.Core.Workflows;

namespace Rostrum.Core.Tests.Workflows;

/// <summary>What runs keep, and when schedules come.</summary>
public sealed class WorkflowValuesTests
{
    private static readonly DatasetShapes Shapes = DatasetShapes.Of(Sample.Catalogue, Grants.ViewEverything);

    [Fact]
    public void Values_are_read_as_they_were_written()
    {
        var values = new RunValues(Shapes);
        (FormulaType Type, object? Value)[] all =
        [
            (new FormulaType.Text(), "a “b” ${c}"),
            (new FormulaType.Number(), 12345678901234567890.12345678m),
            (new FormulaType.Boolean(), false),
            (new FormulaType.Date(), new DateOnly(2026, 2, 28)),
            (new FormulaType.Time(), new TimeOnly(23, 59, 1)),
            (new FormulaType.DateTime(), new DateTimeOffset(2026, 3, 29, 0, 59, 59, TimeSpan.Zero)),
            (new FormulaType.Text(), null),
        ];
        foreach (var (type, value) in all)
        {
            Assert.Equal(value, values.Read(type, values.Element(value), (_, _) => null));
        }

        var list = values.Read(new FormulaType.List(new FormulaType.Number()), values.Element(new object?[] { 1m, null, 3m }), (_, _) =>
            null
        );
        Assert.Equal([1m, null, 3m], (IReadOnlyList<object?>)list!);
    }

    [Fact]
    public void A_record_is_kept_by_its_key_and_read_anew()
    {
        var values = new RunValues(Shapes);
        var shape = Shapes.Of(Sample.Defects);
        var record = new FormulaRecord(shape.Shape, new object?[shape.Shape.Members.Length], new RecordKey([7L]));
        var kept = values.Element(record);
        Assert.Equal("""{"$key":"7"}""", kept!.Value.GetRawText());
        var read = values.Read(new FormulaType.Record(shape.Shape), kept, (_, key) => new FormulaRecord(shape.Shape, [], key));
        Assert.Equal(record, read);
        Assert.Null(values.Read(new FormulaType.Record(shape.Shape), kept, (_, _) => null));
    }

    [Fact]
    public void A_samples_type_takes_what_is_like_it_and_blanks_what_is_not()
    {
        var type = JsonShape.TypeOf("""{"n": 1, "t": "x", "d": "2026-01-31", "list": [{"a": true}], "inner": {"b": 2}}""", "sample")!;
        var shape = ((FormulaType.Record)type).Shape;
        using var json = JsonDocument.Parse("""{"n": "2.5", "t": 7, "d": "soon", "list": [{"a": false}, {}], "more": 1}""");
        var read = (FormulaRecord)JsonShape.Read(type, json.RootElement)!;
        Assert.Equal(2.5m, read[shape.IndexOf("n")]);
        Assert.Equal("7", read[shape.IndexOf("t")]);
        Assert.Null(read[shape.IndexOf("d")]);
        Assert.Equal(2, ((IReadOnlyList<object?>)read[shape.IndexOf("list")]!).Count);
        Assert.Null(read[shape.IndexOf("inner")]);
        Assert.Null(JsonShape.TypeOf("{", "sample"));
    }

    [Theory]
    // At 02:30 there is no such time on the 29th of March 2026 in Oslo: it comes at the next moment that there is.
    [InlineData("30 2 * * *", "2026-03-28T12:00:00Z", "2026-03-29T01:00:00Z")]
    // On the 25th of October 02:30 comes twice: it runs once.
    [InlineData("30 2 * * *", "2026-10-24T12:00:00Z", "2026-10-25T00:30:00Z,2026-10-26T01:30:00Z")]
    [InlineData("0 7 * * 1-5", "2026-11-27T08:00:00Z", "2026-11-30T06:00:00Z")]
    [InlineData("nonsense", "2026-11-27T08:00:00Z", "")]
    public void Times_of_a_schedule_come_in_the_workspaces_zone(string times, string after, string next)
    {
        var expected = next.Split(',', StringSplitOptions.RemoveEmptyEntries).Select(DateTimeOffset.Parse).ToArray();
        var found = CronTimes.Next(
            times,
            DateTimeOffset.Parse(after, null),
            TimeZoneInfo.FindSystemTimeZoneById("Europe/Oslo"),
            Math.Max(1, expected.Length)
        );
        Assert.Equal(expected, found.Select(moment => moment.ToUniversalTime()));
    }

    [Theory]
    [InlineData("*/15 * * * *", "Every 15 minutes")]
    [InlineData("30 6 * * 1-5", "Monday to Friday at 06:30")]
    [InlineData("0 2 * * *", "Each day at 02:00")]
    [InlineData("0 7 * * 1", "Each Monday at 07:00")]
    [InlineData("5 4 1 * *", "On day 1 of each month at 04:05")]
    [InlineData("1,2 3 * 4 5", "At the times 1,2 3 * 4 5")]
    [InlineData("0 7 * * 4,1", "Monday, Thursday at 07:00")]
    [InlineData("15 22 L * *", "On the last day of each month at 22:15")]
    [InlineData("5 * * * *", "Each hour, 5 minutes past")]
    public void Times_are_said_in_words_where_there_are_plain_ones(string times, string words) => Assert.Equal(words, CronWords.Of(times));

    [Fact]
    public void What_is_picked_for_times_is_picked_again_when_they_are_read()
    {
        var random = new Random(11);
        for (var round = 0; round < 500; round++)
        {
            var at = new TimeOnly(random.Next(24), random.Next(60));
            ImmutableSortedSet<DayOfWeek> on = [.. Enum.GetValues<DayOfWeek>().Where(_ => random.Next(2) == 0), (DayOfWeek)random.Next(7)];
            var pick = random.Next(4) switch
            {
                0 => new CronPick(CronRepeat.Minutes) { Every = random.Next(1, 60) },
                1 => new CronPick(CronRepeat.Hours) { At = new TimeOnly(0, at.Minute) },
                2 => new CronPick(CronRepeat.Days) { At = at, On = on },
                _ => new CronPick(CronRepeat.Months) { At = at, Day = random.Next(0, 32) },
            };
            Assert.Null(CronTimes.Problem(pick.Text));
            var read = CronPick.Of(pick.Text)!;
            Assert.Equal((pick.Text, pick.Repeat, pick.At, pick.Day), (read.Text, read.Repeat, read.At, read.Day));
            Assert.True(pick.On.SetEquals(read.On));
        }

        Assert.All(new[] { "", "* * * * *", "0 25 * * *", "0 6 * * 8", "0 6 32 * *", "0 6 * 3 *", "a b c d e" }, text =>
            Assert.Null(CronPick.Of(text))
        );
    }
}
