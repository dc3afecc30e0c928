using System.Collections.Immutable;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Core.Datasets.Drafting;

/// <summary>Rules out of the CHECK constraints of a table: what breaks them is said in plain words, before the database is asked.</summary>
public static class CheckRules
{
    /// <summary>The rules. A check that says what conditions cannot gives none, and the database alone holds it.</summary>
    /// <param name="checks">The constraints' expressions in SQL.</param>
    /// <param name="fields">The table's fields.</param>
    /// <param name="format">How numbers and dates are written in the messages.</param>
    public static ImmutableArray<Rule> Of(IEnumerable<string> checks, ImmutableArray<Field> fields, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(checks);
        var columns = fields.Where(field => field.Column.Length > 0).ToDictionary(field => field.Column);
        var byName = fields.ToDictionary(field => field.Name.Value);
        var rules = new List<Rule>();
        foreach (var part in checks.Select(sql => CheckCondition.Read(sql, columns)).OfType<Condition>().SelectMany(Parts))
        {
            if (RuleOf(part, byName, format, rules) is { } rule && rules.All(other => ((Rule.Holds)other).Must != rule.Must))
            {
                rules.Add(rule);
            }
        }

        return [.. rules];
    }

    private static IEnumerable<Condition> Parts(Condition condition) =>
        condition is Condition.All all ? all.Parts.SelectMany(Parts) : [condition];

    private static Rule.Holds? RuleOf(Condition condition, Dictionary<string, Field> fields, RecordFormat format, List<Rule> rules)
    {
        // "It is blank, or …" is how a check says what a rule at a field means by itself.
        if (
            condition is Condition.Any { Parts: [Condition.Test { Question: Question.IsBlank } blank, Condition.Test other] }
            && blank.Name.SequenceEqual(other.Name)
        )
        {
            condition = other;
        }

        string Label(ImmutableArray<string> name) => fields[name[0]].Label;
        bool IsTemporal(ImmutableArray<string> name) => fields[name[0]].Type.IsTemporal;
        if (condition is Condition.Test test)
        {
            var field = fields[test.Name[0]];
            return IsSaidAlready(test, field)
                ? null
                : new Rule.Holds(ConditionFormula.Write(condition))
                {
                    Name = FieldDemands.NewName(rules, $"{field.Name}_check"),
                    Field = field.Name,
                    When = test.Operand is Operand.Other { Name: [var name] } && !fields[name].Required ? Given(fields[name]) : null,
                    Message = ConditionWords.Demand(condition, Label, format, IsTemporal)!,
                };
        }

        var blanks = condition
            .Tests.Where(part => part.Question is not (Question.IsBlank or Question.IsGiven))
            .SelectMany(part => part.Operand is Operand.Other { Name: var name } ? new[] { part.Name, name } : [part.Name])
            .Select(name => fields[name[0]])
            .Where(field => !field.Required)
            .Distinct()
            .Select(Given)
            .ToArray();
        var words = ConditionWords.Of(condition, name => Wording.InSentence(Label(name)), format, IsTemporal);
        return new Rule.Holds(ConditionFormula.Write(condition))
        {
            Name = FieldDemands.NewName(rules, $"{condition.Tests.First().Name[0]}_check"),
            When = blanks.Length switch
            {
                0 => null,
                1 => blanks[0],
                _ => $"AND({string.Join(", ", blanks)})",
            },
            Message = $"This must hold: {words}.",
        };
    }

    private static string Given(Field field) => $"NOT(ISEMPTY({Formulas.Formatter.Name(field.Name.Value)}))";

    // The field's type or its being required says it already, or blank texts are what it is about.
    private static bool IsSaidAlready(Condition.Test test, Field field) =>
        test switch
        {
            { Question: Question.IsGiven } => field.Required,
            { Question: Question.IsOneOf } => field.Type is FieldType.Choice,
            { Question: Question.LengthAtMost, Operand: Operand.Value { Is: decimal most } } => field.Type
                is FieldType.Text { MaxLength: { } limit }
                && limit <= most,
            { Operand: Operand.Value { Is: "" } } => true,
            _ => false,
        };
}
