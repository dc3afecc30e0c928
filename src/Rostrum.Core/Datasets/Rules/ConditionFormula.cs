using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>Conditions as formulas, and formulas as conditions where they say what can be picked from lists.</summary>
/// <remarks>Only the formula is kept. Reading what <see cref="Write"/> wrote, and writing it again, gives the same text.</remarks>
public static class ConditionFormula
{
    /// <summary>The condition as a formula's text.</summary>
    public static string Write(Condition condition) =>
        condition switch
        {
            Condition.All all => $"AND({string.Join(", ", all.Parts.Select(Write))})",
            Condition.Any any => $"OR({string.Join(", ", any.Parts.Select(Write))})",
            Condition.Test test => WriteTest(test),
            _ => throw new ArgumentOutOfRangeException(nameof(condition), condition, "unknown condition"),
        };

    /// <summary>The formula as a condition; null where it is wrong, or says what lists do not offer.</summary>
    public static Condition? Read(string formula)
    {
        ArgumentNullException.ThrowIfNull(formula);
        var parsed = Parser.Parse(formula);
        return parsed.Problems.IsEmpty ? Read(parsed.Tree) : null;
    }

    /// <summary>A name as formulas write it.</summary>
    public static string Name(IEnumerable<string> name) => string.Join('.', name.Select(Formatter.Name));

    private static string WriteTest(Condition.Test test)
    {
        var name = Name(test.Name);
        string Each(string sign) =>
            string.Join(", ", ((Operand.Values)test.Operand!).Are.Select(value => $"{name} {sign} {Literal(value)}"));
        return test.Question switch
        {
            Question.IsGiven => $"NOT(ISEMPTY({name}))",
            Question.IsBlank => $"ISEMPTY({name})",
            Question.IsOneOf => $"OR({Each("=")})",
            Question.IsNoneOf => $"AND({Each("<>")})",
            Question.Contains => $"CONTAINS({name}, {Written(test.Operand)})",
            Question.StartsWith => $"STARTSWITH({name}, {Written(test.Operand)})",
            Question.EndsWith => $"ENDSWITH({name}, {Written(test.Operand)})",
            Question.Matches => $"MATCHES({name}, {Written(test.Operand)})",
            Question.LengthAtMost => $"LEN({name}) <= {Written(test.Operand)}",
            Question.LengthAtLeast => $"LEN({name}) >= {Written(test.Operand)}",
            _ => $"{name} {Sign(test.Question)} {Written(test.Operand)}",
        };
    }

    private static string Sign(Question question) =>
        question switch
        {
            Question.Is => "=",
            Question.IsNot => "<>",
            Question.Less => "<",
            Question.AtMost => "<=",
            Question.More => ">",
            Question.AtLeast => ">=",
            _ => throw new ArgumentOutOfRangeException(nameof(question), question, "it has no sign"),
        };

    private static string Written(Operand? operand) =>
        operand switch
        {
            Operand.Value value => Literal(value.Is),
            Operand.Other other => Name(other.Name),
            Operand.FromToday today => "TODAY()" + Days(today.Days),
            Operand.FromNow now => "NOW()" + Days(now.Days),
            _ => throw new ArgumentOutOfRangeException(nameof(operand), operand, "the question needs one value"),
        };

    private static string Days(int days) =>
        days == 0 ? "" : string.Create(CultureInfo.InvariantCulture, $" {(days > 0 ? '+' : '-')} {Math.Abs((long)days)}");

    private static string Literal(object value) =>
        value switch
        {
            string text => Formatter.Format(new Syntax.Text(default, text)),
            decimal number => number.ToString(CultureInfo.InvariantCulture),
            bool yes => yes ? "TRUE" : "FALSE",
            DateOnly date => string.Create(CultureInfo.InvariantCulture, $"DATE({date.Year}, {date.Month}, {date.Day})"),
            _ => throw new ArgumentOutOfRangeException(nameof(value), value, "formulas have no literal for it"),
        };

    private static Condition? Read(Syntax tree) =>
        tree switch
        {
            Syntax.Call { Arguments.Length: >= 2 } call when Is(call, "AND") => Group(call, any: false),
            Syntax.Call { Arguments.Length: >= 2 } call when Is(call, "OR") => Group(call, any: true),
            Syntax.Call { Arguments: [Syntax.Call { Arguments: [var value] } inner] } call when Is(call, "NOT") && Is(inner, "ISEMPTY") =>
                TestOf(value, Question.IsGiven),
            Syntax.Call { Arguments: [var value] } call when Is(call, "ISEMPTY") => TestOf(value, Question.IsBlank),
            Syntax.Call { Arguments: [var value, Syntax.Text text] } call when TextQuestion(call) is { } question => TestOf(
                value,
                question,
                new Operand.Value(text.Value)
            ),
            Syntax.Binary { Left: Syntax.Call { Arguments: [var value] } length, Right: Syntax.Number number } binary
                when Is(length, "LEN") && number.Value is >= 0 && binary.Operator is Operator.AtMost or Operator.AtLeast => TestOf(
                value,
                binary.Operator is Operator.AtMost ? Question.LengthAtMost : Question.LengthAtLeast,
                new Operand.Value(number.Value)
            ),
            Syntax.Binary binary when SignQuestion(binary.Operator) is { } question && OperandOf(binary.Right) is { } operand => TestOf(
                binary.Left,
                question,
                operand
            ),
            _ => null,
        };

    private static Condition? Group(Syntax.Call call, bool any)
    {
        var parts = call.Arguments.Select(Read).ToArray();
        if (parts.Any(part => part is null))
        {
            return null;
        }

        var (question, several) = any ? (Question.Is, Question.IsOneOf) : (Question.IsNot, Question.IsNoneOf);
        return parts.All(part =>
                part is Condition.Test { Operand: Operand.Value } test
                && test.Question == question
                && test.Name.SequenceEqual(((Condition.Test)parts[0]!).Name)
            )
                ? new Condition.Test(
                    ((Condition.Test)parts[0]!).Name,
                    several,
                    new Operand.Values([.. parts.Select(part => ((Operand.Value)((Condition.Test)part!).Operand!).Is)])
                )
            : any ? new Condition.Any([.. parts!])
            : new Condition.All([.. parts!]);
    }

    private static Condition.Test? TestOf(Syntax value, Question question, Operand? operand = null) =>
        NameOf(value) is { } name ? new Condition.Test(name, question, operand) : null;

    private static bool Is(Syntax.Call call, string function) => call.Function.Equals(function, StringComparison.OrdinalIgnoreCase);

    private static Question? TextQuestion(Syntax.Call call) =>
        call.Function.ToUpperInvariant() switch
        {
            "CONTAINS" => Question.Contains,
            "STARTSWITH" => Question.StartsWith,
            "ENDSWITH" => Question.EndsWith,
            "MATCHES" => Question.Matches,
            _ => null,
        };

    private static Question? SignQuestion(Operator sign) =>
        sign switch
        {
            Operator.Equal => Question.Is,
            Operator.NotEqual => Question.IsNot,
            Operator.Less => Question.Less,
            Operator.AtMost => Question.AtMost,
            Operator.More => Question.More,
            Operator.AtLeast => Question.AtLeast,
            _ => null,
        };

    private static Operand? OperandOf(Syntax tree) =>
        tree switch
        {
            Syntax.Text text => new Operand.Value(text.Value),
            Syntax.Number number => new Operand.Value(number.Value),
            Syntax.Prefix { Negative: true, Operand: Syntax.Number number } => new Operand.Value(-number.Value),
            Syntax.Truth truth => new Operand.Value(truth.Value),
            Syntax.Call { Arguments: [Syntax.Number year, Syntax.Number month, Syntax.Number day] } call when Is(call, "DATE") => Date(
                year.Value,
                month.Value,
                day.Value
            ),
            Syntax.Call { Arguments: [] } call => FromMoment(call, 0),
            Syntax.Binary
            {
                Operator: Operator.Add or Operator.Subtract,
                Left: Syntax.Call { Arguments: [] } call,
                Right: Syntax.Number { Value: >= 1 and <= 100_000 } days
            } binary when decimal.IsInteger(days.Value) => FromMoment(call, (int)days.Value * (binary.Operator is Operator.Add ? 1 : -1)),
            _ => NameOf(tree) is { } name ? new Operand.Other(name) : null,
        };

    private static Operand? FromMoment(Syntax.Call call, int days) =>
        Is(call, "TODAY") ? new Operand.FromToday(days)
        : Is(call, "NOW") ? new Operand.FromNow(days)
        : null;

    // Parts past their ends run on in formulas; as a date such a thing would be written differently.
    private static Operand.Value? Date(decimal year, decimal month, decimal day) =>
        year is >= 1 and <= 9999
        && month is >= 1 and <= 12
        && day >= 1
        && decimal.IsInteger(year)
        && decimal.IsInteger(month)
        && decimal.IsInteger(day)
        && day <= DateTime.DaysInMonth((int)year, (int)month)
            ? new Operand.Value(new DateOnly((int)year, (int)month, (int)day))
            : null;

    private static ImmutableArray<string>? NameOf(Syntax tree) =>
        tree switch
        {
            Syntax.Name name => [name.Value],
            Syntax.Member member when NameOf(member.Of) is { } of => of.Add(member.Value),
            _ => null,
        };
}
