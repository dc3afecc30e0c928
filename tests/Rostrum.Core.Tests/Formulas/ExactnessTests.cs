using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Formulas;

/// <summary>Which numbers are right to the last digit, and what happens to the others where a digit could tip something.</summary>
public sealed class ExactnessTests
{
    [Theory]
    [InlineData("cars + 1.5", Exactness.Exact)]
    [InlineData("cars * 'Fare (net)' - 2%", Exactness.Exact)]
    [InlineData("cars / 100", Exactness.Exact)]
    [InlineData("cars^3", Exactness.Exact)]
    [InlineData("SUM(defects.cost)", Exactness.Exact)]
    [InlineData("ROUND(SQRT(cars), 2)", Exactness.Exact)]
    [InlineData("left_at - left_at", Exactness.Exact)]
    [InlineData("cars / 3", Exactness.Quotient)]
    [InlineData("1 - cars / 3 * 100", Exactness.Quotient)]
    [InlineData("IFBLANK(cars / 3, 0)", Exactness.Quotient)]
    [InlineData("AVERAGE(defects.cost)", Exactness.Quotient)]
    [InlineData("MAX(cars / 7, 2)", Exactness.Quotient)]
    [InlineData("LARGE(defects.cost, 1)", Exactness.Exact)]
    [InlineData("cars / 3 * 3", Exactness.Rounded)]
    [InlineData("cars / 3 + cars / 7", Exactness.Rounded)]
    [InlineData("1 / (cars / 3)", Exactness.Rounded)]
    [InlineData("SQRT(cars)", Exactness.Rounded)]
    [InlineData("cars^0.5", Exactness.Rounded)]
    [InlineData("STDEV(defects.cost)", Exactness.Rounded)]
    public void A_formula_tells_how_exact_its_number_is(string formula, Exactness exactness) =>
        Assert.Equal(exactness, Ship.Check(formula).Tree!.Exactness);

    [Theory]
    [InlineData("1 / 3 * 3 = 1", true)]
    [InlineData("1 / 7 * 7 = 1", true)]
    [InlineData("1 / 3 + 1 / 3 + 1 / 3 = 1", true)]
    [InlineData("2 / 3 * 3 > 2", false)]
    [InlineData("SQRT(2)^2 = 2", true)]
    [InlineData("0.1 + 0.2 = 0.3", true)]
    [InlineData("1 / 3 = 0.333333333333333", false)]
    [InlineData("79228162514264337593543950335 = 79228162514264337593543950334", false)]
    public void A_last_digit_that_is_chance_tips_nothing(string formula, bool expected) => Assert.Equal(expected, Ship.Evaluate(formula));

    [Theory]
    [InlineData("INT(1 / 3 * 3)", "1")]
    [InlineData("1 - 1 / 7 * 7", "0")]
    [InlineData("ROUND(cars / 7 * 7, 0)", "90")]
    [InlineData("ROUND(SUM(1 / 3, 1 / 3, 1 / 3), 20)", "1")]
    public void Rounding_and_sums_settle_what_they_are_given(string formula, string expected) =>
        Assert.Equal(decimal.Parse(expected, System.Globalization.CultureInfo.InvariantCulture), Ship.Evaluate(formula));

    [Theory]
    [InlineData("\"\" & 2 / 3", "0.666666666666667")]
    [InlineData("\"\" & 1 / 8", "0.125")]
    [InlineData("\"\" & 2000000 / 3", "666666.666666667")]
    [InlineData("\"\" & 1 / 3e10", "0.0000000000333333333333333")]
    [InlineData("\"\" & 1e20 / 3", "33333333333333300000")]
    public void A_number_that_does_not_end_is_written_with_15_digits(string formula, string expected) =>
        Assert.Equal(expected, Ship.Evaluate(formula));

    [Theory]
    [InlineData("SUM(79228162514264337593543950335, 1, -1)")]
    [InlineData("SUM(1, 79228162514264337593543950335, -1)")]
    [InlineData("SUM(-1, 1, 79228162514264337593543950335)")]
    public void A_sum_does_not_depend_on_the_order(string formula) => Assert.Equal(decimal.MaxValue, Ship.Evaluate(formula));

    [Fact]
    public void Moments_move_by_whole_microseconds_and_lie_days_with_20_digits_apart()
    {
        Assert.Equal(new DateTimeOffset(2026, 7, 1, 22, 30, 0, TimeSpan.Zero).AddMicroseconds(86), Ship.Evaluate("left_at + 0.000000001"));
        Assert.Equal(0.00000000099537037037m, Ship.Evaluate("left_at + 0.000000001 - left_at"));
        Assert.Equal(-7m, Ship.Evaluate("left_at - (left_at + 7)"));
    }

    [Theory]
    [InlineData("LABEL(FIRST(defects.state))", "open")]
    [InlineData("TITLE(home)", "Brackwater · 7")]
    [InlineData("TITLE(relief)", null)]
    [InlineData("TITLE(record)", "Petrel · Brackwater")]
    public void Labels_and_titles_are_what_people_read(string formula, object? expected)
    {
        var port = new FormulaShape("port", [new("name", new FormulaType.Text()), new("berths", new FormulaType.Number())])
        {
            Title =
            [
                ["name"],
                ["berths"],
            ],
        };
        var defect = new FormulaShape("defect", [new("state", new FormulaType.Choice(["o", "c"]) { Labels = ["open", "closed"] })]);
        var vessel = new FormulaShape(
            "vessel",
            [
                new("name", new FormulaType.Text()),
                new("home", new FormulaType.Record(port)),
                new("relief", new FormulaType.Record(port)),
                new("defects", new FormulaType.List(new FormulaType.Record(defect))),
            ]
        )
        {
            Title =
            [
                ["name"],
                ["home", "name"],
            ],
        };
        var record = new FormulaRecord(
            vessel,
            ["Petrel", new FormulaRecord(port, ["Brackwater", 7m]), null, new object?[] { new FormulaRecord(defect, ["o"]) }]
        );
        var checkedFormula = Checker.Check(Parser.Parse(formula), vessel);
        Assert.Empty(checkedFormula.Problems);
        Assert.Equal(expected, Compiler.Compile(checkedFormula.Tree!)(record, Ship.Context));
    }

    [Theory]
    [InlineData("LABEL(name)", "LABEL is for choices; here is a text.")]
    [InlineData("TITLE(cars)", "TITLE is for records; here is a number.")]
    [InlineData("TITLE(home)", "A port has no title.")]
    public void Labels_and_titles_of_other_things_are_problems(string formula, string problem) =>
        Assert.Equal(problem, Assert.Single(Ship.Check(formula).Problems).Message);

    [Fact]
    public void What_a_formula_reads_is_known_before_it_runs()
    {
        var needs = FormulaNeeds.Of([
            Ship.Check("home.name & SUM(FILTER(defects, cost > record.cars).cost) & IF(sold, name, relief.name)").Tree!,
        ]);
        string[] Names(IEnumerable<int> indexes) => [.. indexes.Select(index => Ship.Shape.Members[index].Key)];
        Assert.Equal(["name", "cars", "sold"], Names(needs.Values));
        Assert.Equal(["home", "relief"], Names(needs.Records.Keys));
        Assert.Equal(["defects"], Names(needs.Lists.Keys));
        Assert.Equal([1], needs.Lists.Values.Single().Values);
    }
}
