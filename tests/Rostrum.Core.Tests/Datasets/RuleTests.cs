using System.Collections.Immutable;
using System.Globalization;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Rules;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Datasets;

public sealed class RuleTests
{
    private static readonly RecordFormat Format = new(CultureInfo.GetCultureInfo("en-GB"), TimeZoneInfo.Utc);
    private static readonly FormulaContext Context = new(new DateTimeOffset(2026, 3, 10, 12, 0, 0, TimeSpan.Zero), TimeZoneInfo.Utc);
    private static readonly FormulaShape Shape = new(
        "defect",
        [
            new("title", new FormulaType.Text()),
            new("state", new FormulaType.Text()),
            new("due", new FormulaType.Date()),
            new("reported", new FormulaType.Date()),
            new("cost", new FormulaType.Number()),
            new("budget", new FormulaType.Number()),
            new("urgent", new FormulaType.Boolean()),
        ]
    );

    public sealed record MadeUp(Condition Condition);

    public static Arbitrary<MadeUp> Conditions() =>
        Arb.From(Gen.Sized(size => Made(Math.Min(size / 10, 3))).Select(condition => new MadeUp(condition)));

    private static Gen<Condition> Made(int depth) =>
        depth == 0
            ? Test()
            : Gen.Frequency(
                (2, Test()),
                (
                    1,
                    Made(depth - 1)
                        .Two()
                        .SelectMany(parts =>
                            Gen.Elements<Condition>(
                                new Condition.All([parts.Item1, parts.Item2]),
                                new Condition.Any([parts.Item1, parts.Item2])
                            )
                        )
                ),
                (1, Made(depth - 1).Three().Select(parts => (Condition)new Condition.All([parts.Item1, parts.Item2, parts.Item3])))
            );

    private static Gen<Condition> Test() =>
        Gen.OneOf(
            OfText("title"),
            OfText("state"),
            Ordered(
                "due",
                Gen.OneOf(
                    Gen.Choose(-2, 2).Select(days => (Operand)new Operand.FromToday(days)),
                    Gen.Choose(8, 12).Select(day => (Operand)new Operand.Value(new DateOnly(2026, 3, day))),
                    Gen.Constant((Operand)new Operand.Other(["reported"]))
                )
            ),
            Ordered("reported", Gen.Choose(8, 12).Select(day => (Operand)new Operand.Value(new DateOnly(2026, 3, day)))),
            Ordered(
                "cost",
                Gen.OneOf(
                    Gen.Choose(-2, 2).Select(number => (Operand)new Operand.Value((decimal)number)),
                    Gen.Constant((Operand)new Operand.Other(["budget"]))
                )
            ),
            Ordered(
                "budget",
                Gen.OneOf(
                    Gen.Choose(-2, 2).Select(number => (Operand)new Operand.Value(number / 2m)),
                    Gen.Constant((Operand)new Operand.Other(["cost"]))
                )
            ),
            Gen.Elements(true, false).Select(yes => (Condition)new Condition.Test(["urgent"], Question.Is, new Operand.Value(yes)))
        );

    private static Gen<Condition> Ordered(string name, Gen<Operand> operands) =>
        from operand in operands
        from question in Gen.Elements(
            Question.Is,
            Question.IsNot,
            Question.Less,
            Question.AtMost,
            Question.More,
            Question.AtLeast,
            Question.IsGiven,
            Question.IsBlank
        )
        select (Condition)new Condition.Test([name], question, question is Question.IsGiven or Question.IsBlank ? null : operand);

    private static Gen<Condition> OfText(string name) =>
        from texts in Gen.Elements("a", "ab", "it's \"b\"", "").Two()
        from test in Gen.Elements<Condition>(
            new Condition.Test([name], Question.IsOneOf, new Operand.Values([texts.Item1, texts.Item2])),
            new Condition.Test([name], Question.IsNoneOf, new Operand.Values([texts.Item1, texts.Item2])),
            new Condition.Test([name], Question.Is, new Operand.Value(texts.Item1)),
            new Condition.Test([name], Question.IsNot, new Operand.Value(texts.Item1)),
            new Condition.Test([name], Question.Contains, new Operand.Value(texts.Item1)),
            new Condition.Test([name], Question.StartsWith, new Operand.Value(texts.Item1)),
            new Condition.Test([name], Question.EndsWith, new Operand.Value(texts.Item1)),
            new Condition.Test([name], Question.Matches, new Operand.Value("^a")),
            new Condition.Test([name], Question.LengthAtMost, new Operand.Value((decimal)texts.Item1.Length)),
            new Condition.Test([name], Question.LengthAtLeast, new Operand.Value(2m)),
            new Condition.Test([name], Question.IsGiven),
            new Condition.Test([name], Question.IsBlank)
        )
        select test;

    private static bool Holds(string formula, FormulaRecord record) =>
        Compiler.Compile(Checked(formula), once: true)(record, Context) is true;

    private static Typed Checked(string formula)
    {
        var result = Checker.Check(Parser.Parse(formula), Shape);
        Assert.Empty(result.Problems);
        return result.Tree!;
    }

    // Every record over a few values of each field that the questions are about.
    private static IEnumerable<FormulaRecord> Records(int seed, int count)
    {
        var random = new Random(seed);
        object? One(params object?[] of) => of[random.Next(of.Length)];
        for (var i = 0; i < count; i++)
        {
            object? Day() => random.Next(5) == 0 ? null : new DateOnly(2026, 3, random.Next(7, 14));
            yield return new FormulaRecord(
                Shape,
                [
                    One(null, "", "a", "ab", "it's \"b\""),
                    One(null, "a", "ab"),
                    Day(),
                    Day(),
                    One(null, -2m, -1m, 0m, 0.5m, 1m, 2m),
                    One(null, -1m, 0m, 0.5m, 1m),
                    One(null, true, false),
                ]
            );
        }
    }

    [Law(500, Arbitrary = [typeof(RuleTests)])]
    public void A_condition_and_its_formula_are_one_thing_seen_twice(MadeUp made)
    {
        var text = ConditionFormula.Write(made.Condition);
        var again = ConditionFormula.Read(text);
        Assert.NotNull(again);
        Assert.Equal(text, ConditionFormula.Write(again));
        Checked(text);
    }

    [Law(500, Arbitrary = [typeof(RuleTests)])]
    public void What_is_called_impossible_holds_for_no_record(MadeUp made)
    {
        if (Contradiction.IsIn(made.Condition))
        {
            var formula = Compiler.Compile(Checked(ConditionFormula.Write(made.Condition)));
            Assert.DoesNotContain(Records(7, 2000), record => formula(record, Context) is true);
        }
    }

    [Theory]
    [InlineData("AND(cost > 5, cost < 3)", true)]
    [InlineData("AND(cost >= 3, cost <= 3)", false)]
    [InlineData("AND(cost > 3, cost <= 3)", true)]
    [InlineData("AND(due < TODAY(), due > TODAY() + 7)", true)]
    [InlineData("AND(due > TODAY(), due <= TODAY() + 7)", false)]
    [InlineData("AND(due > reported, reported > due)", true)]
    [InlineData("AND(cost > budget, budget >= 10, cost <= 10)", true)]
    [InlineData("AND(cost > budget, budget >= 10, cost <= 11)", false)]
    [InlineData("OR(AND(cost > 5, cost < 3), AND(state = \"a\", state = \"b\"))", true)]
    [InlineData("OR(AND(cost > 5, cost < 3), state = \"a\")", false)]
    [InlineData("AND(OR(state = \"a\", state = \"b\"), state <> \"a\", state <> \"b\")", true)]
    [InlineData("AND(STARTSWITH(title, \"x\"), title = \"abc\")", true)]
    [InlineData("AND(LEN(title) >= 9, LEN(title) <= 3)", true)]
    [InlineData("AND(ISEMPTY(due), due >= TODAY())", true)]
    [InlineData("AND(ISEMPTY(due), due <> TODAY())", false)]
    [InlineData("AND(due >= DATE(2026, 3, 1), due < DATE(2026, 2, 1))", true)]
    public void A_condition_that_excludes_itself_is_found(string formula, bool impossible)
    {
        var condition = ConditionFormula.Read(formula);
        Assert.Equal(impossible, Contradiction.IsIn(condition!));
        var rule = new Rule.Holds(formula) { Name = "r", Message = "" };
        Assert.Equal(impossible, RuleChecks.Warning(rule) is not null);
    }

    [Theory]
    [InlineData("due + 1 > reported")]
    [InlineData("NOT(cost > 5)")]
    [InlineData("cost > budget * 2")]
    [InlineData("ANY(parts, price > 5)")]
    [InlineData("cost >")]
    [InlineData("due = DATE(2026, 2, 31)")]
    [InlineData("due >= TODAY() + 0.5")]
    [InlineData("AND(cost > 5)")]
    public void A_formula_that_lists_do_not_offer_stays_a_formula(string formula) => Assert.Null(ConditionFormula.Read(formula));

    [Theory]
    [InlineData("due >= TODAY()", "Due must be on or after today.")]
    [InlineData("due >= reported", "Due must be at least reported.")]
    [InlineData("due < TODAY() - 1", "Due must be before 1 day before today.")]
    [InlineData("NOT(ISEMPTY(title))", "Title must be given.")]
    [InlineData("cost <= 1500.5", "Cost must be at most 1,500.5.")]
    [InlineData("AND(state <> \"open\", state <> \"closed\")", "State must not be “open” or “closed”.")]
    [InlineData("LEN(title) <= 20", "Title must have at most 20 characters.")]
    [InlineData("STARTSWITH(title, \"BF\")", "Title must start with “BF”.")]
    [InlineData("OR(cost > 1, due > TODAY())", null)]
    public void A_rule_that_asks_one_thing_says_it_in_words(string formula, string? words) =>
        Assert.Equal(words, ConditionWords.Demand(ConditionFormula.Read(formula)!, name => name[^1], Format));

    [Fact]
    public void Several_questions_are_told_apart_in_words() =>
        Assert.Equal(
            "urgent is yes and (state is “open” or “closed” or due is after today)",
            ConditionWords.Of(
                ConditionFormula.Read("AND(urgent = TRUE, OR(OR(state = \"open\", state = \"closed\"), due > TODAY()))")!,
                name => name[^1],
                Format
            )
        );

    [Theory]
    [InlineData("due >= reported", null, "IF(NOT(ISEMPTY(due)), due >= reported, TRUE)")]
    [InlineData("due >= reported", "urgent", "IF(AND(urgent, NOT(ISEMPTY(due))), due >= reported, TRUE)")]
    [InlineData("NOT(ISEMPTY(due))", "state = \"open\"", "IF(state = \"open\", NOT(ISEMPTY(due)), TRUE)")]
    [InlineData("OR(ISBLANK(DUE), due > TODAY())", null, "OR(ISBLANK(DUE), due > TODAY())")]
    public void A_rule_at_a_field_says_nothing_of_a_blank_unless_it_asks(string must, string? when, string formula) =>
        Assert.Equal(
            formula,
            new Rule.Holds(must)
            {
                Name = "r",
                Message = "",
                Field = new("due"),
                When = when,
            }.Formula
        );

    [Fact]
    public void A_rule_that_is_wrong_says_why()
    {
        var dataset = new Dataset
        {
            Id = new(Guid.NewGuid()),
            Source = new(Guid.NewGuid()),
            Table = new("", "defects"),
            Name = new("defects"),
            Label = "Defects",
            RecordLabel = "defect",
            TitleBecause = "",
            Fields =
            [
                new Field
                {
                    Name = new("due"),
                    Column = "due",
                    NativeType = "date",
                    Label = "Due",
                    Type = new FieldType.Date(),
                },
                new Field
                {
                    Name = new("late"),
                    Column = "",
                    NativeType = "",
                    Label = "Late",
                    Type = new FieldType.YesNo(),
                    Formula = "due < TODAY()",
                },
            ],
            Key = [],
            Title = [],
        };
        var shapes = DatasetShapes.Of(new DatasetCatalogue([dataset]), Grants.ViewEverything);
        string? Problem(Rule rule) => RuleChecks.Problem(rule, dataset, shapes, null);
        Assert.Null(Problem(new Rule.Holds("NOT(late)") { Name = "r", Message = "" }));
        Assert.Equal("Unknown name “duw”. Did you mean “due”?", Problem(new Rule.Holds("duw > TODAY()") { Name = "r", Message = "" }));
        Assert.Equal("It gives a date, and should be true or false.", Problem(new Rule.Holds("due") { Name = "r", Message = "" }));
        Assert.Equal(
            "Unknown name “x”.",
            Problem(
                new Rule.Holds("late")
                {
                    Name = "r",
                    Message = "",
                    When = "x",
                }
            )
        );
        Assert.Equal(
            "There is no field “gone” any more.",
            Problem(
                new Rule.Holds("late")
                {
                    Name = "r",
                    Message = "",
                    Field = new("gone"),
                }
            )
        );
        Assert.Equal(
            "“late” is no field of the table whose values can be told apart.",
            Problem(new Rule.Unique([new("late")]) { Name = "r", Message = "" })
        );
        Assert.Equal("Choose at least one field.", Problem(new Rule.Unique([]) { Name = "r", Message = "" }));
    }
}
