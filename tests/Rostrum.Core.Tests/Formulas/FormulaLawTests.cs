using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Tests.Formulas;

/// <summary>What holds for every formula, held over thousands that are made up.</summary>
public sealed class FormulaLawTests
{
    /// <summary>A formula of a type that the checker is expected to pass, or near it.</summary>
    public sealed record MadeUp(string Text);

    public static Arbitrary<MadeUp> Formulas() => Arb.From(Gen.Sized(size => Number(Math.Min(size, 12))).Select(text => new MadeUp(text)));

    private static Gen<string> Number(int size) =>
        size <= 0
            ? Gen.Elements(
                "cars",
                "nothing",
                "'Fare (net)'",
                "0",
                "1",
                "-1",
                "2.5",
                "1e20",
                "79228162514264337593543950335",
                "0.0000000000000000000000000001"
            )
            : Gen.OneOf(
                Number(0),
                Both(
                    size,
                    "({0} + {1})",
                    "{0} - {1}",
                    "{0} * {1}",
                    "{0} / {1}",
                    "{0}^{1}",
                    "MOD({0}, {1})",
                    "ROUND({0}, {1})",
                    "CEILING({0}, {1})",
                    "QUOTIENT({0}, {1})",
                    "IFBLANK({0}, {1})",
                    "MAX({0}, {1})",
                    "LOG({0}, {1})",
                    "GCD({0}, {1})",
                    "MROUND({0}, {1})"
                ),
                Number(size / 2)
                    .SelectMany(of =>
                        Gen.Elements(
                                "-{0}",
                                "{0}%",
                                "INT({0})",
                                "SQRT({0})",
                                "EXP({0})",
                                "EVEN({0})",
                                "ODD({0})",
                                "YEAR(DATE({0}, 1, 1))",
                                "LEN(REPT(name, {0}))",
                                "VALUE(\"\" & {0})",
                                "SUM(FILTER(defects, cost > record.cars).cost) + {0}",
                                "DAYS(EDATE(built, {0}), WORKDAY(built, {0}))",
                                "WEEKDAY(built, {0})",
                                "LARGE(defects.cost, {0})",
                                "FIND(\"i\", name, {0})",
                                "CODE(UNICHAR({0}))",
                                "HOUR(TIME({0}, 1, 1))"
                            )
                            .Select(form => form.Replace("{0}", of, StringComparison.Ordinal))
                    ),
                Truth(size / 2).SelectMany(condition => Both(size / 2, $"IF({condition}, {{0}}, {{1}})"))
            );

    private static Gen<string> Truth(int size) =>
        Gen.OneOf(
            Both(size, "{0} < {1}", "{0} = {1}", "{0} <> {1}", "{0} >= {1}"),
            Gen.Elements(
                "sold",
                "NOT(sold)",
                "built < TODAY()",
                "ANY(defects, cost > record.cars)",
                "name = \"Kittiwake\"",
                "CONTAINS(name, MID(name, 2, cars))",
                "ISBLANK(relief.name)"
            )
        );

    private static Gen<string> Both(int size, params string[] forms) =>
        from one in Number(size / 2)
        from other in Number(size / 2)
        from form in Gen.Elements(forms)
        select form.Replace("{0}", one, StringComparison.Ordinal).Replace("{1}", other, StringComparison.Ordinal);

    [Law(10000, Arbitrary = [typeof(FormulaLawTests)])]
    public void A_formula_that_the_checker_passes_never_throws_and_gives_its_type(MadeUp made)
    {
        var formula = Ship.Check(made.Text);
        Assert.Empty(formula.Problems);
        var value = Compiler.Compile(formula.Tree!)(Ship.Kittiwake, Ship.Context);
        Assert.True(value is null or decimal);
    }

    [Law(3000, Arbitrary = [typeof(FormulaLawTests)])]
    public void Writing_a_tree_and_reading_it_again_changes_nothing(MadeUp made)
    {
        var text = Formatter.Format(Parser.Parse(made.Text).Tree);
        var again = Parser.Parse(text);
        Assert.Empty(again.Problems);
        Assert.Equal(text, Formatter.Format(again.Tree));
        Assert.Equal(Value(made.Text), Value(text));
    }

    [Law(1000, Arbitrary = [typeof(FormulaLawTests)])]
    public void Renaming_keeps_the_value(MadeUp made)
    {
        var index = Ship.Shape.IndexOf("cars");
        var renamed = new FormulaShape(
            "vessel",
            Ship.Shape.Members.Select((member, i) => i == index ? KeyValuePair.Create("it's (new)", member.Value) : member)
        );
        var values = new FormulaRecord(renamed, [.. Enumerable.Range(0, renamed.Members.Length).Select(i => Ship.Kittiwake[i])]);
        var formula = Checker.Check(Parser.Parse(Renaming.Rename(Ship.Check(made.Text), Ship.Shape, index, "it's (new)")), renamed);
        Assert.Empty(formula.Problems);
        Assert.Equal(Value(made.Text), Compiler.Compile(formula.Tree!)(values, Ship.Context));
    }

    [Law(5000)]
    public void Any_text_is_parsed_and_checked_without_a_fault(NonNull<string> text)
    {
        var formula = Ship.Check(text.Get);
        Assert.True(formula.Tree is not null || formula.Problems.Length > 0);
        Assert.All(formula.Problems, problem => Assert.InRange(problem.Span.Start + problem.Span.Length, 0, text.Get.Length));
    }

    [Law(3000, Arbitrary = [typeof(FormulaLawTests)])]
    public void A_formula_with_a_piece_cut_out_is_parsed_without_a_fault(MadeUp made, PositiveInt from, PositiveInt length)
    {
        var start = from.Get % made.Text.Length;
        var cut = made.Text.Remove(start, Math.Min(length.Get, made.Text.Length - start));
        Assert.NotNull(Ship.Check(cut));
    }

    public static TheoryData<string> Examples =>
        [
            .. FunctionCatalogue
                .Functions.Values.SelectMany(overloads => overloads)
                .Select(overload => (FunctionAttribute)Attribute.GetCustomAttribute(overload.Method, typeof(FunctionAttribute))!)
                .SelectMany(function => function.Examples)
                .Concat(Forms.All.SelectMany(form => form.Examples)),
        ];

    [Theory]
    [MemberData(nameof(Examples))]
    public void The_documentations_examples_are_true(string example)
    {
        var sides = example.Split(" → ");
        Assert.Equal(Value(sides[1]), Value(sides[0]));
    }

    private static object? Value(string text)
    {
        var formula = Ship.Check(text);
        Assert.Empty(formula.Problems);
        return Compiler.Compile(formula.Tree!)(Ship.Kittiwake, Ship.Context);
    }
}
