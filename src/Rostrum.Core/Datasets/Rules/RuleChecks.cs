using Rostrum.Core.Access;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>Holds rules themselves against the dataset that they are for.</summary>
public static class RuleChecks
{
    /// <summary>Why a rule cannot be held against records; null where it can. A broken rule lets nothing be saved.</summary>
    /// <param name="rule">The rule.</param>
    /// <param name="dataset">Its dataset.</param>
    /// <param name="shapes">The names that formulas may use.</param>
    /// <param name="user">Anybody who might be signed in: which names <c>user</c> has.</param>
    public static string? Problem(Rule rule, Dataset dataset, DatasetShapes shapes, SignedIn? user)
    {
        ArgumentNullException.ThrowIfNull(rule);
        ArgumentNullException.ThrowIfNull(dataset);
        ArgumentNullException.ThrowIfNull(shapes);
        if (rule.Field is { } field && dataset.Find(field) is null)
        {
            return $"There is no field “{field}” any more.";
        }

        return rule switch
        {
            Rule.Unique { Fields: [] } => "Choose at least one field.",
            Rule.Unique unique => unique
                .Fields.Where(name => dataset.Find(name) is not { Formula: null, Type.IsSortable: true })
                .Select(name => $"“{name}” is no field of the table whose values can be told apart.")
                .FirstOrDefault(),
            Rule.Holds { When: { } when } holds => FormulaProblem(when) ?? FormulaProblem(holds.Must),
            Rule.Holds holds => FormulaProblem(holds.Must),
            _ => null,
        };

        string? FormulaProblem(string text) => SignedIn.Names(user).Check(shapes.Of(dataset).Shape, text).ConditionProblem;
    }

    /// <summary>What a builder should know of a rule that works; null where nothing.</summary>
    public static string? Warning(Rule rule)
    {
        if (rule is not Rule.Holds holds || ConditionFormula.Read(holds.Must) is not { } must)
        {
            return null;
        }

        var given = holds.Field is { } field && holds.Formula != holds.Must ? new Condition.Test([field.Value], Question.IsGiven) : null;
        return Contradiction.IsIn(
                given is null || must.Tests.Any(test => test.Question is Question.IsBlank) ? must : new Condition.All([must, given])
            )
                ? "No record can ever keep this rule: its conditions exclude each other."
            : holds.When is not null && ConditionFormula.Read(holds.When) is { } when && Contradiction.IsIn(when)
                ? "This rule is never held against a record: the conditions under which it applies exclude each other."
            : null;
    }
}
