using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Formulas;

/// <summary>A vessel with its defects, as formulas see them.</summary>
internal static class Ship
{
    private static readonly FormulaShape Port = new("port", [new("name", new FormulaType.Text())]);

    private static readonly FormulaShape Defect = new(
        "defect",
        [
            new("title", new FormulaType.Text()),
            new("cost", new FormulaType.Number()),
            new("state", new FormulaType.Choice(["open", "closed"])),
            new("due", new FormulaType.Date()),
        ]
    );

    public static readonly FormulaShape Shape = new(
        "vessel",
        [
            new("name", new FormulaType.Text()),
            new("cars", new FormulaType.Number()),
            new("Fare (net)", new FormulaType.Number()),
            new("built", new FormulaType.Date()),
            new("sold", new FormulaType.Boolean()),
            new("left_at", new FormulaType.DateTime()),
            new("home", new FormulaType.Record(Port)),
            new("relief", new FormulaType.Record(Port)),
            new("defects", new FormulaType.List(new FormulaType.Record(Defect))),
            new("nothing", new FormulaType.Number()),
            new("sails", new FormulaType.Time()),
        ]
    );

    public static readonly FormulaRecord Kittiwake = new(
        Shape,
        [
            "Kittiwake",
            90m,
            12.50m,
            new DateOnly(2009, 4, 18),
            false,
            new DateTimeOffset(2026, 7, 1, 22, 30, 0, TimeSpan.Zero),
            new FormulaRecord(Port, ["Brackwater"]),
            null,
            new object?[]
            {
                new FormulaRecord(Defect, ["Pump", 100m, "open", new DateOnly(2026, 3, 1)]),
                new FormulaRecord(Defect, ["Door", null, "closed", null]),
                new FormulaRecord(Defect, ["Lamp", 50m, "open", new DateOnly(2026, 2, 1)]),
            },
            null,
            new TimeOnly(14, 5),
        ]
    );

    public static readonly FormulaContext Context = new(
        new DateTimeOffset(2026, 3, 14, 23, 30, 0, TimeSpan.Zero),
        TimeZoneInfo.FindSystemTimeZoneById("Europe/Oslo")
    );

    public static object? Evaluate(string formula)
    {
        var checkedFormula = Check(formula);
        Assert.Empty(checkedFormula.Problems);
        return Compiler.Compile(checkedFormula.Tree!)(Kittiwake, Context);
    }

    public static CheckedFormula Check(string formula) => Checker.Check(Parser.Parse(formula), Shape);
}

public sealed class FormulaTests
{
    [Theory]
    [InlineData("LEN(CONCATENATE(REPT(name, 100000), REPT(name, 100000)))")]
    [InlineData("COUNT(FILTER(defects, LEN(REPT(title & record.name, 50000)) > 0))")]
    public void What_computes_too_much_ends(string formula)
    {
        var tree = Ship.Check(formula).Tree!;
        var context = Ship.Context with { Budget = new FormulaBudget(200_000) };
        Assert.Throws<FormulaBudgetException>(() => Compiler.Compile(tree)(Ship.Kittiwake, context));
        Assert.NotNull(Compiler.Compile(tree, once: true)(Ship.Kittiwake, Ship.Context with { Budget = new FormulaBudget() }) ?? 0m);
    }

    [Fact]
    public void A_request_has_one_budget_for_all_its_formulas()
    {
        var formula = Compiler.Compile(Ship.Check("REPT(name, 1000)").Tree!);
        var context = Ship.Context with { Budget = new FormulaBudget(100_000) };
        Assert.Throws<FormulaBudgetException>(() =>
        {
            for (var at = 0; at < 100; at++)
            {
                formula(Ship.Kittiwake, context);
            }
        });
    }

    [Theory]
    [InlineData("home.name", true)]
    [InlineData("OR(home.name = \"Brackwater\", LEN(home.name) > 20)", true)]
    [InlineData("IF(STARTSWITH(home.name, \"B\"), TODAY(), DATE(2020, 1, 1))", true)]
    [InlineData("TEXTJOIN(\"-\", TRUE, home.name, UPPER(home.name))", true)]
    [InlineData("home.name = name", false)]
    [InlineData("OR(home.name = \"x\", relief.name = \"x\")", false)]
    [InlineData("COUNT(FILTER(defects, title = record.home.name))", false)]
    public void A_formula_that_asks_one_related_record_alone_gives_the_same_asked_of_that_record(string formula, bool asksIt)
    {
        var tree = Ship.Check(formula).Tree!;
        var through = Inlining.Through(tree, Ship.Shape.IndexOf("home"));
        Assert.Equal(asksIt, through is not null);
        if (through is not null)
        {
            Assert.Equal(
                Ship.Evaluate(formula),
                Compiler.Compile(through)((FormulaRecord)Ship.Kittiwake[Ship.Shape.IndexOf("home")]!, Ship.Context)
            );
        }
    }

    [Theory]
    // Precedence and association as OpenFormula has them.
    [InlineData("-2^2 = 4")]
    [InlineData("2^3^2 = 64")]
    [InlineData("1 + 2 * 3 = 7")]
    [InlineData("10 - 4 - 3 = 3")]
    [InlineData("50% * 2 = 1")]
    [InlineData("\"a\" & 1 + 1 = \"a2\"")]
    [InlineData("1e3 = 1000")]
    [InlineData("0.1 + 0.2 = 0.3")]
    // Blank.
    [InlineData("nothing = BLANK")]
    [InlineData("ISBLANK(nothing + 1)")]
    [InlineData("NOT(nothing < 1)")]
    [InlineData("NOT(nothing >= 1)")]
    [InlineData("nothing <> 1")]
    [InlineData("\"x\" & nothing = \"x\"")]
    [InlineData("ISBLANK(1 / 0)")]
    [InlineData("ISBLANK(79228162514264337593543950335 * 10)")]
    [InlineData("ISBLANK(relief.name)")]
    [InlineData("SUM(BLANK) = 0")]
    // Names.
    [InlineData("NAME = \"Kittiwake\"")]
    [InlineData("'Fare (net)' * 2 = 25")]
    [InlineData("home.name = \"Brackwater\"")]
    [InlineData("record.home.name = \"Brackwater\"")]
    // Lists.
    [InlineData("SUM(defects.cost) = 150")]
    [InlineData("COUNT(defects) = 3")]
    [InlineData("COUNT(defects.cost) = 2")]
    [InlineData("AVERAGE(defects.cost) = 75")]
    [InlineData("COUNT(FILTER(defects, state = \"open\")) = 2")]
    [InlineData("SUM(FILTER(defects, cost > record.cars).cost) = 100")]
    [InlineData("FIRST(SORT(defects, due)).title = \"Lamp\"")]
    [InlineData("FIRST(SORT(defects, due, FALSE)).title = \"Pump\"")]
    [InlineData("LAST(SORT(defects, due, FALSE)).title = \"Door\"")]
    [InlineData("TEXTJOIN(\", \", TRUE, defects.title) = \"Pump, Door, Lamp\"")]
    [InlineData("ANY(defects, due < TODAY())")]
    [InlineData("NOT(ALL(defects, due < TODAY()))")]
    [InlineData("ALL(FILTER(defects, FALSE), cost = 1)")]
    [InlineData("MIN(defects.due) = DATE(2026, 2, 1)")]
    [InlineData("MEDIAN(defects.cost) = 75")]
    [InlineData("CONTAINS(defects.state, \"open\")")]
    // Dates: a day is the workspace's, an instant's parts too.
    [InlineData("TODAY() = DATE(2026, 3, 15)")]
    [InlineData("DAY(left_at) = 2")]
    [InlineData("built + 1 = DATE(2009, 4, 19)")]
    [InlineData("1 + built = DATE(2009, 4, 19)")]
    [InlineData("DATE(2026, 3, 1) - DATE(2026, 2, 1) = 28")]
    [InlineData("left_at + 0.5 - left_at = 0.5")]
    [InlineData("ISBLANK(DATE(9999, 12, 31) + 1)")]
    [InlineData("HOUR(sails) = 14")]
    // Text by code points.
    [InlineData("LEN(\"👩‍🚀é\") = 4")]
    [InlineData("LEFT(\"⛴x\", 1) = \"⛴\"")]
    [InlineData("MID(\"a🚢b\", 2, 1) = \"🚢\"")]
    [InlineData("\"\uFFFD\" < \"🚢\"")]
    [InlineData("\"a\" <> \"A\"")]
    // Comments, separators.
    [InlineData("/* one */ ROUND(2.55; 1) /* two */ = 2.6")]
    public void A_formula_holds(string formula) => Assert.True(Assert.IsType<bool>(Ship.Evaluate(formula)));

    public static TheoryData<string, string> Wrong =>
        new()
        {
            { "", "Here the formula ends" },
            { "1 +", "Here the formula ends" },
            { "(1", "This bracket is not closed." },
            { "1)", "This bracket closes nothing." },
            { "1 2", "Here an operator is missing." },
            { "\"abc", "This text has no closing quote." },
            { "'abc", "This name has no closing quote." },
            { "/* abc", "This comment has no end." },
            { "1 # 2", "“#” has no meaning here." },
            { "99999999999999999999999999999999", "This number is too large" },
            { "nam", "Did you mean “name”?" },
            { "rond(1)", "Did you mean “ROUND”?" },
            { "home.nme", "Did you mean “name”?" },
            { "zzzzzzzz", "Unknown name “zzzzzzzz”." },
            { "name + 1", "“+” cannot stand between a text and a number." },
            { "-name", "“-” is for numbers; here is a text." },
            { "name = 1", "A text cannot be compared with a number." },
            { "IF(1, 2, 3)", "asks whether something is true or false; here is a number" },
            { "IF(sold, 1, \"x\")", "all should be of one type" },
            { "ROUND(name)", "“number” should be a number; here is a text." },
            { "ROUND()", "1 to 2 values stand in the brackets; here is none." },
            { "ROUND(1, 2, 3)", "here are 3." },
            { "FILTER(name, TRUE)", "looks at a list of records" },
            { "FILTER(defects, cars > 1)", "Did you mean “record.cars”?" },
            { "name.x", "A text has no parts" },
            { "defects & \"x\"", "is no text" },
            { "home = 1", "cannot be compared" },
            { "IFS(TRUE, 1, FALSE)", "stand in pairs" },
        };

    [Theory]
    [MemberData(nameof(Wrong))]
    public void What_is_wrong_is_said_in_plain_words(string formula, string message) =>
        Assert.Contains(Ship.Check(formula).Problems, problem => problem.Message.Contains(message, StringComparison.Ordinal));

    [Fact]
    public void A_correction_corrects()
    {
        var problem = Assert.Single(Ship.Check("cars * rond('Fare (nte)', 1)").Problems, problem =>
            problem.Message.Contains("ROUND", StringComparison.Ordinal)
        );
        Assert.Equal(("ROUND", new Span(7, 4)), (problem.Correction, problem.Span));
    }

    [Theory]
    [InlineData("(", 10_000)]
    [InlineData("-", 10_000)]
    [InlineData("1+", 100_000)]
    [InlineData("IF(TRUE,", 10_000)]
    [InlineData("%", 100_000)]
    [InlineData("#", 1_000_000)]
    [InlineData("x.", 10_000)]
    [InlineData("\"", 1_000_001)]
    [InlineData("a", 1_000_000)]
    public void An_enormous_formula_is_a_problem_and_no_crash(string piece, int times) =>
        Assert.NotEmpty(Ship.Check(string.Concat(Enumerable.Repeat(piece, times))).Problems);

    [Fact]
    public void A_pattern_meant_to_hang_does_not() =>
        Assert.Equal(false, Ship.Evaluate($"MATCHES(\"{new string('a', 50_000)}!\", \"^(a+)+$\")"));

    [Theory]
    [InlineData("Title & ' has '", "")]
    [InlineData("a ${ name } b $${ c ${ \"}\" }", "a |name|  b ${ c |\"}\"")]
    public void A_template_is_taken_apart(string text, string parts)
    {
        var read = Template
            .Parse(text)
            .Parts.Select(part =>
                part switch
                {
                    TemplatePart.Literal literal => literal.Text,
                    TemplatePart.Formula formula => formula.Parsed.Text.Trim(),
                    _ => "",
                }
            )
            .ToArray();
        Assert.Equal(parts.Length == 0 ? [text] : ["a ", "name", " b ${ c ", "\"}\""], read);
    }

    [Fact]
    public void Renaming_rewrites_each_reference_and_nothing_else()
    {
        var formula = Ship.Check("/* cars */ Cars + record.cars + LEN(\"cars\") + SUM(FILTER(defects, cost > record.cars).cost)");
        Assert.Equal(
            "/* cars */ 'Car places' + record.'Car places' + LEN(\"cars\") + SUM(FILTER(defects, cost > record.'Car places').cost)",
            Renaming.Rename(formula, Ship.Shape, Ship.Shape.IndexOf("cars"), "Car places")
        );
    }

    [Fact]
    public void A_formula_knows_what_it_depends_on() =>
        Assert.Equal(
            ["cars", "cost", "defects"],
            Ship.Check("cars + SUM(defects.cost) + cars")
                .References.Select(reference => reference.Shape.Members[reference.Index].Key)
                .Distinct()
                .Order(StringComparer.Ordinal)
        );
}

public sealed class FormulaLineTests
{
    [Theory]
    [InlineData("1 + 2.50", """{"value":3.5,"type":"number","problems":[]}""")]
    [InlineData("\"é\" & \"\"\"\"", """{"value":"é\"","type":"text","problems":[]}""")]
    [InlineData("DATE(2026, 3, 1)", """{"value":"2026-03-01","type":"date","problems":[]}""")]
    [InlineData("1 / 0", """{"value":null,"type":"number","problems":[]}""")]
    [InlineData("cars", """{"value":null,"type":null,"problems":[{"start":0,"length":4,"message":"Unknown name “cars”."}]}""")]
    [InlineData(
        "",
        """{"value":null,"type":null,"problems":[{"start":0,"length":0,"message":"Here the formula ends, and something is missing."}]}"""
    )]
    [InlineData(
        """{"formula": "SUM(FILTER(defects, state = \"open\").cost) * rate", """
            + """ "record": {"rate": 2, """
            + """ "defects": [{"state": "open", "cost": 12.5}, {"state": "closed"}, {"state": "open", "cost": 1}]}}""",
        """{"value":27,"type":"number","problems":[]}"""
    )]
    [InlineData(
        """{"formula": "TEXTJOIN(\"-\", TRUE, tags)", "record": {"tags": ["a", null, "b"]}}""",
        """{"value":"a-b","type":"text","problems":[]}"""
    )]
    [InlineData(
        """{"formula": "home.name", "record": {"home": {"name": "Brackwater"}}}""",
        """{"value":"Brackwater","type":"text","problems":[]}"""
    )]
    [InlineData("""{"formula": "rate + 1", "record": {"rate": null}}""", """{"value":null,"type":"number","problems":[]}""")]
    [InlineData(
        """{"formula": 1}""",
        """{"value":null,"type":null,"problems":[{"start":0,"length":14,"message":"This line has no “formula” with a text."}]}"""
    )]
    [InlineData(
        "{",
        """{"value":null,"type":null,"problems":[{"start":0,"length":1,"message":"This line begins like JSON, and is none."}]}"""
    )]
    public void A_line_is_answered_with_a_line(string line, string answer) => Assert.Equal(answer, FormulaLine.Answer(line, Ship.Context));

    [Fact]
    public void The_function_reference_is_current()
    {
        Assert.EndsWith(
            "-->\n\n" + FunctionReference.Write(),
            File.ReadAllText(Path.Combine(Repository.Root, "docs/formulas.md")),
            StringComparison.Ordinal
        );
    }
}
