using System.Collections.Immutable;
using System.Globalization;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>Conditions as people read them: "severity is critical and due is blank".</summary>
public static class ConditionWords
{
    /// <summary>The condition as a part of a sentence.</summary>
    /// <param name="condition">The condition.</param>
    /// <param name="label">What people read for a name, in small letters.</param>
    /// <param name="format">How dates and numbers are written.</param>
    /// <param name="isTemporal">Whether a name stands for a day or a moment, where that is known.</param>
    public static string Of(
        Condition condition,
        Func<ImmutableArray<string>, string> label,
        RecordFormat format,
        Func<ImmutableArray<string>, bool>? isTemporal = null
    ) =>
        condition switch
        {
            Condition.All all => Joined(all.Parts, " and ", label, format, isTemporal),
            Condition.Any any => Joined(any.Parts, " or ", label, format, isTemporal),
            Condition.Test test => $"{label(test.Name)} {Says(test, "is", label, format, isTemporal)}",
            _ => throw new ArgumentOutOfRangeException(nameof(condition), condition, "unknown condition"),
        };

    /// <summary>What a rule that asks one question demands: "Due must be on or after today."; null where it asks several.</summary>
    public static string? Demand(
        Condition condition,
        Func<ImmutableArray<string>, string> label,
        RecordFormat format,
        Func<ImmutableArray<string>, bool>? isTemporal = null
    )
    {
        ArgumentNullException.ThrowIfNull(label);
        if (condition is not Condition.Test test)
        {
            return null;
        }

        var name = label(test.Name);
        return $"{char.ToUpperInvariant(name[0])}{name[1..]} {Says(test, "must be", label, format, isTemporal)}.";
    }

    /// <summary>The question as people read it in a list.</summary>
    /// <param name="question">The question.</param>
    /// <param name="isTemporal">It is asked of dates.</param>
    public static string Word(Question question, bool isTemporal) =>
        question switch
        {
            Question.IsGiven => "is given",
            Question.IsBlank => "is blank",
            Question.Is => "is",
            Question.IsNot => "is not",
            Question.IsOneOf => "is one of",
            Question.IsNoneOf => "is none of",
            Question.Less => isTemporal ? "is before" : "is less than",
            Question.AtMost => isTemporal ? "is on or before" : "is at most",
            Question.More => isTemporal ? "is after" : "is more than",
            Question.AtLeast => isTemporal ? "is on or after" : "is at least",
            Question.Contains => "contains",
            Question.StartsWith => "starts with",
            Question.EndsWith => "ends with",
            Question.Matches => "fits the pattern",
            Question.LengthAtMost => "has at most so many characters",
            Question.LengthAtLeast => "has at least so many characters",
            _ => throw new ArgumentOutOfRangeException(nameof(question), question, "unknown question"),
        };

    private static string Joined(
        ImmutableArray<Condition> parts,
        string word,
        Func<ImmutableArray<string>, string> label,
        RecordFormat format,
        Func<ImmutableArray<string>, bool>? isTemporal
    ) =>
        string.Join(
            word,
            parts.Select(part => part is Condition.Test ? Of(part, label, format, isTemporal) : $"({Of(part, label, format, isTemporal)})")
        );

    private static string Says(
        Condition.Test test,
        string verb,
        Func<ImmutableArray<string>, string> label,
        RecordFormat format,
        Func<ImmutableArray<string>, bool>? isTemporal
    )
    {
        var demands = verb != "is";
        var temporal =
            test.Operand is Operand.FromToday or Operand.FromNow or Operand.Value { Is: DateOnly } || isTemporal?.Invoke(test.Name) == true;
        var operand = test.Operand is null ? "" : Said(test.Operand, label, format);
        return test.Question switch
        {
            Question.LengthAtMost => $"{(demands ? "must have" : "has")} at most {operand} characters",
            Question.LengthAtLeast => $"{(demands ? "must have" : "has")} at least {operand} characters",
            Question.Contains => $"{(demands ? "must contain" : "contains")} {operand}",
            Question.StartsWith => $"{(demands ? "must start" : "starts")} with {operand}",
            Question.EndsWith => $"{(demands ? "must end" : "ends")} with {operand}",
            Question.Matches when test.Operand is Operand.Value { Is: string pattern } && SimplePattern.Read(pattern) is { } simple =>
                $"{(demands ? "must look" : "looks")} like “{simple.Example()}”",
            Question.Matches => $"{(demands ? "must fit" : "fits")} the pattern {operand}",
            Question.IsNot when demands => $"must not be {operand}",
            Question.IsNoneOf when demands => $"must not be {operand}",
            Question.IsOneOf or Question.IsNoneOf => $"{verb}{(test.Question is Question.IsNoneOf ? " not" : "")} {operand}",
            _ => $"{verb}{Word(test.Question, temporal)["is".Length..]}{(operand.Length > 0 ? " " : "")}{operand}",
        };
    }

    private static string Said(Operand operand, Func<ImmutableArray<string>, string> label, RecordFormat format) =>
        operand switch
        {
            Operand.Value value => Said(value.Is, format),
            Operand.Values values => string.Join(" or ", values.Are.Select(value => Said(value, format))),
            Operand.Other other => label(other.Name),
            Operand.FromToday today => Days(today.Days, "today"),
            Operand.FromNow now => Days(now.Days, "now"),
            _ => throw new ArgumentOutOfRangeException(nameof(operand), operand, "unknown operand"),
        };

    private static string Said(object value, RecordFormat format) =>
        value switch
        {
            string text => $"“{text}”",
            bool yes => yes ? "yes" : "no",
            decimal number => number.ToString("#,##0.############################", format.Culture),
            _ => format.Display(new FieldType.Date(), value),
        };

    private static string Days(int days, string moment) =>
        days == 0
            ? moment
            : string.Create(
                CultureInfo.InvariantCulture,
                $"{Math.Abs(days)} {(days is 1 or -1 ? "day" : "days")} {(days > 0 ? "after" : "before")} {moment}"
            );
}
