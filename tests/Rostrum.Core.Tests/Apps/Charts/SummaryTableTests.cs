using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Tests.Apps.Charts;

public sealed class SummaryTableTests
{
    private static readonly RecordFormat Format = new(CultureInfo.GetCultureInfo("en-GB"), TimeZoneInfo.Utc);

    private static Dimension By(string name, FieldType? type = null) =>
        new(
            new Field
            {
                Name = new FieldName(name),
                Column = name,
                NativeType = "",
                Label = name,
                Type = type ?? new FieldType.Text(),
            },
            Grouping.Value
        );

    private static SummaryFigure Figure(string? row, string? then, string? column, decimal number) =>
        new(new KeyTitle(row, null), new KeyTitle(then, null), new KeyTitle(column, null), [number]);

    [Fact]
    public void Counts_have_their_totals_from_the_cells()
    {
        var shape = new SummaryShape(By("row"), By("then"), By("column"), [new ChartMeasure(null, "count")]);
        var cells = Assert.Single(shape.Levels);
        SummaryFigure[] figures = [Figure("a", "x", "1", 2), Figure("a", "y", "2", 3), Figure("b", "x", "1", 5), Figure(null, "x", "1", 1)];
        var table = SummaryTable.Of(
            shape,
            new Dictionary<SummaryLevel, ImmutableArray<SummaryFigure>> { [cells] = [.. figures] },
            null,
            Format
        );
        Assert.Equal(
            ["a: 2,3,5", "a/x: 2,,2", "a/y: ,3,3", "b: 5,,5", "b/x: 5,,5", "blank: 1,,1", "blank/x: 1,,1", ": 8,3,11"],
            table.Rows.Select(row =>
                $"{row.Heading?.Label}{(row.Then is null ? "" : "/" + row.Then.Label)}: "
                + string.Join(',', row.Cells.Select(cell => cell[0]?.ToString(CultureInfo.InvariantCulture)))
            )
        );
        Assert.Equal(
            ["a", "b", "blank"],
            SummaryTable
                .Of(
                    shape with
                    {
                        Then = null,
                    },
                    new Dictionary<SummaryLevel, ImmutableArray<SummaryFigure>> { [new SummaryLevel(true, false, true)] = [.. figures] },
                    0,
                    Format
                )
                .Rows.Select(row => row.Heading?.Label)
                .OfType<string>()
        );
    }

    [Fact]
    public void A_formula_over_measures_has_its_totals_from_theirs()
    {
        var measures = new[]
        {
            new ChartMeasure(new FieldTotal(new FieldName("fare"), Total.Sum), "fare"),
            new ChartMeasure(null, "count"),
        };
        var shape = new SummaryShape(By("row"), null, By("column"), [.. measures])
        {
            Formula = new MeasureFormula("each", numbers => numbers[1] is null or 0 ? null : numbers[0] / numbers[1]),
        };
        static SummaryFigure Both(string row, string column, decimal sum, decimal count) =>
            new(new KeyTitle(row, null), default, new KeyTitle(column, null), [sum, count]);
        var table = SummaryTable.Of(
            shape,
            new Dictionary<SummaryLevel, ImmutableArray<SummaryFigure>>
            {
                [shape.Levels[0]] = [Both("a", "1", 10, 1), Both("a", "2", 20, 4), Both("b", "1", 30, 5)],
            },
            0,
            Format
        );
        Assert.Equal(["each"], shape.Labels.AsEnumerable());
        Assert.Equal(
            ["a: 10,5,6", "b: 6,,6", ": 6.67,5,6"],
            table.Rows.Select(row =>
                $"{row.Heading?.Label}: "
                + string.Join(',', row.Cells.Select(cell => cell[0] is { } number ? $"{decimal.Round(number, 2):0.##}" : ""))
            )
        );
    }

    [Fact]
    public void Averages_are_asked_for_at_each_level()
    {
        var shape = new SummaryShape(
            By("row"),
            null,
            By("column"),
            [new ChartMeasure(new FieldTotal(new FieldName("late"), Total.Average), "late")]
        );
        Assert.Equal(
            [new SummaryLevel(true, false, true), new(true, false, false), new(false, false, true), new(false, false, false)],
            shape.Levels.AsEnumerable()
        );
        var table = SummaryTable.Of(
            shape,
            new Dictionary<SummaryLevel, ImmutableArray<SummaryFigure>>
            {
                [shape.Levels[0]] = [Figure("a", null, "1", 2), Figure("b", null, "1", 4)],
                [shape.Levels[1]] = [Figure("a", null, null, 2), Figure("b", null, null, 4)],
                [shape.Levels[2]] = [Figure(null, null, "1", 3.5m)],
                [shape.Levels[3]] = [Figure(null, null, null, 3.5m)],
            },
            null,
            Format
        );
        Assert.Equal(3.5m, table.Rows[^1].Cells[^1][0]);
    }
}
