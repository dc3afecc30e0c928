using System.Collections.Immutable;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>
/// The rules of one field that a tick or a number says: a value, bounds, no two the same. They are rules like all others.
/// </summary>
/// <param name="IsRequired">It must have a value.</param>
/// <param name="IsUnique">No two records have the same.</param>
/// <param name="Minimum">The least value, as it is typed; <c>today</c> for a date; empty where there is none.</param>
/// <param name="Maximum">The greatest, likewise.</param>
public sealed record FieldDemands(bool IsRequired, bool IsUnique, string Minimum, string Maximum)
{
    /// <summary>What the dataset's rules demand of a field in this way.</summary>
    public static FieldDemands Of(Dataset dataset, Field field)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(field);
        return new(
            dataset.Rules.Any(rule => IsPlain(rule, field, Question.IsGiven)),
            dataset.Rules.Any(rule => IsUniqueOf(rule, field)),
            Bound(dataset, field, Question.AtLeast),
            Bound(dataset, field, Question.AtMost)
        );
    }

    /// <summary>The dataset with these demands on a field and no others of their kind; or what is wrong with a bound.</summary>
    public (Dataset? Dataset, string? Problem) Apply(Dataset dataset, Field field, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(field);
        var rules = dataset.Rules;
        foreach (var (question, text) in new[] { (Question.AtLeast, Minimum), (Question.AtMost, Maximum) })
        {
            var operand = OperandOf(field, text);
            if (text.Length > 0 && operand is null)
            {
                return (null, $"“{text}” is no {(field.Type is FieldType.Date ? "date: write 2026-03-31, or today" : "number")}.");
            }

            rules = With(rules, field, question, operand, text.Length > 0, format);
        }

        rules = With(rules, field, Question.IsGiven, null, IsRequired, format);
        rules =
            IsUnique == rules.Any(rule => IsUniqueOf(rule, field)) ? rules
            : IsUnique
                ? rules.Add(
                    new Rule.Unique([field.Name])
                    {
                        Name = NewName(rules, $"{field.Name}_unique"),
                        Field = field.Name,
                        Message = $"There is another {dataset.RecordLabel} with this value.",
                    }
                )
            : rules.RemoveAll(rule => IsUniqueOf(rule, field));
        return (dataset with { Rules = rules }, null);
    }

    /// <summary>A name that none of some rules has.</summary>
    public static string NewName(IEnumerable<Rule> rules, string wish) =>
        Wording.FieldName(wish, rules.Select(rule => new FieldName(rule.Name))).Value;

    // A rule whose wording somebody changed keeps it as long as it demands the same.
    private static ImmutableArray<Rule> With(
        ImmutableArray<Rule> rules,
        Field field,
        Question question,
        Operand? operand,
        bool wanted,
        RecordFormat format
    )
    {
        var known = rules.FirstOrDefault(rule => IsPlain(rule, field, question));
        if (!wanted)
        {
            return known is null ? rules : rules.Remove(known);
        }

        var condition = new Condition.Test([field.Name.Value], question, operand);
        var must = ConditionFormula.Write(condition);
        if (known is Rule.Holds holds && holds.Must == must)
        {
            return rules;
        }

        var rule = new Rule.Holds(must)
        {
            Name = known?.Name
                ?? NewName(
                    rules,
                    $"{field.Name}_{question switch { Question.AtLeast => "minimum", Question.AtMost => "maximum", _ => "given" }}"
                ),
            Field = field.Name,
            Message = ConditionWords.Demand(condition, _ => field.Label, format)!,
        };
        return known is null ? rules.Add(rule) : rules.Replace(known, rule);
    }

    private static bool IsPlain(Rule rule, Field field, Question question) =>
        rule is Rule.Holds { When: null, Warns: false } holds
        && rule.Field == field.Name
        && TestOf(holds, field) is { } test
        && test.Question == question
        && (test.Operand is null || Typed(test.Operand).Length > 0);

    private static bool IsUniqueOf(Rule rule, Field field) =>
        rule is Rule.Unique { Fields: [var only], Warns: false } && only == field.Name;

    private static Condition.Test? TestOf(Rule.Holds rule, Field field) =>
        ConditionFormula.Read(rule.Must) is Condition.Test { Name: [var name] } test
        && name.Equals(field.Name.Value, StringComparison.OrdinalIgnoreCase)
            ? test
            : null;

    private static string Bound(Dataset dataset, Field field, Question question) =>
        dataset.Rules.FirstOrDefault(rule => IsPlain(rule, field, question)) is Rule.Holds rule
        && TestOf(rule, field)!.Operand is { } operand
            ? Typed(operand)
            : "";

    private static string Typed(Operand operand) =>
        operand switch
        {
            Operand.Value { Is: decimal number } => FieldText.ToCanonical(new FieldType.Number(), number),
            Operand.Value { Is: DateOnly date } => FieldText.ToCanonical(new FieldType.Date(), date),
            Operand.FromToday { Days: 0 } => "today",
            _ => "",
        };

    private static Operand? OperandOf(Field field, string text) =>
        field.Type switch
        {
            FieldType.Date when text.Equals("today", StringComparison.OrdinalIgnoreCase) => new Operand.FromToday(0),
            FieldType.Date => FieldText.FromInput(field.Type, text, TimeZoneInfo.Utc) is Parsed.Value { Is: DateOnly date }
                ? new Operand.Value(date)
                : null,
            _ => FieldText.FromInput(new FieldType.Number(), text, TimeZoneInfo.Utc) is Parsed.Value { Is: decimal number }
                ? new Operand.Value(number)
                : null,
        };
}
