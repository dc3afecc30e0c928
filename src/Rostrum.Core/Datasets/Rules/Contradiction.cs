using System.Collections.Immutable;

namespace Rostrum.Core.Datasets.Rules;

/// <summary>Finds conditions that no record can fulfil.</summary>
/// <remarks>
/// The condition is put into disjunctive form. In each branch, orders between values, other values, dates and today are
/// difference constraints x − y ≤ c; a cycle of them with a negative sum cannot be fulfilled (Cormen, Leiserson, Rivest,
/// Stein, Introduction to Algorithms, 24.4, by the method of Bellman and Ford). Texts are held against what they must and must not be.
/// Where nothing is found the condition may still be unfulfillable; where something is found it is.
/// </remarks>
public static class Contradiction
{
    private const int MostBranches = 256;

    /// <summary>Whether no record can fulfil the condition.</summary>
    public static bool IsIn(Condition condition) =>
        Branches(condition) is { Count: > 0 and <= MostBranches } branches && branches.All(branch => Contradicts(branch));

    private static List<ImmutableList<Condition.Test>> Branches(Condition condition)
    {
        switch (condition)
        {
            case Condition.Test test:
                return
                [
                    [test],
                ];
            case Condition.Any any:
                return [.. any.Parts.SelectMany(Branches).Take(MostBranches + 1)];
            case Condition.All all:
                List<ImmutableList<Condition.Test>> product =
                [
                    [],
                ];
                foreach (var part in all.Parts)
                {
                    var further = Branches(part);
                    product = [.. product.SelectMany(one => further.Select(one.AddRange)).Take(MostBranches + 1)];
                }

                return product;
            default:
                throw new ArgumentOutOfRangeException(nameof(condition), condition, "unknown condition");
        }
    }

    private static bool Contradicts(ImmutableList<Condition.Test> tests) =>
        tests.GroupBy(test => Key(test.Name)).Any(about => ContradictsAbout([.. about]))
        || HasNegativeCycle([.. tests.SelectMany(Constraints)]);

    private static string Key(ImmutableArray<string> name) => string.Join('.', name).ToUpperInvariant();

    // About one value alone: given and blank, this and something else.
    private static bool ContradictsAbout(Condition.Test[] tests)
    {
        var blank = tests.Any(test => test.Question is Question.IsBlank);
        if (blank && tests.Any(NeedsSomething))
        {
            return true;
        }

        HashSet<object>? allowed = null;
        foreach (var test in tests)
        {
            object[]? among = test switch
            {
                { Question: Question.Is, Operand: Operand.Value value } => [value.Is],
                { Question: Question.IsOneOf, Operand: Operand.Values values } => [.. values.Are],
                _ => null,
            };
            if (among is not null)
            {
                allowed = [.. allowed is null ? among : allowed.Intersect(among)];
            }
        }

        if (allowed is null)
        {
            return Lengths(tests) is var (shortest, longest) && shortest > longest;
        }

        foreach (var test in tests)
        {
            allowed.RemoveWhere(value => !Fits(value, test));
        }

        return allowed.Count == 0;
    }

    // Whether it is false of a blank and of an empty text alike.
    private static bool NeedsSomething(Condition.Test test) =>
        test switch
        {
            { Question: Question.IsGiven } => true,
            { Question: Question.LengthAtLeast } => Number(test) > 0,
            { Question: Question.IsOneOf, Operand: Operand.Values values } => !values.Are.Contains(""),
            { Question: Question.Is or Question.Contains or Question.StartsWith or Question.EndsWith, Operand: Operand.Value value } =>
                value.Is is not "",
            {
                Question: Question.Is or Question.Less or Question.AtMost or Question.More or Question.AtLeast,
                Operand: Operand.FromToday or Operand.FromNow or Operand.Value { Is: decimal or DateOnly }
            } => true,
            _ => false,
        };

    private static (decimal Shortest, decimal Longest) Lengths(Condition.Test[] tests) =>
        (
            tests.Where(test => test.Question is Question.LengthAtLeast).Select(Number).DefaultIfEmpty(0).Max(),
            tests.Where(test => test.Question is Question.LengthAtMost).Select(Number).DefaultIfEmpty(decimal.MaxValue).Min()
        );

    private static decimal Number(Condition.Test test) => test.Operand is Operand.Value { Is: decimal number } ? number : 0;

    private static bool Fits(object value, Condition.Test test) =>
        (test.Question, test.Operand, value) switch
        {
            (Question.IsNot, Operand.Value not, _) => !not.Is.Equals(value),
            (Question.IsNoneOf, Operand.Values none, _) => !none.Are.Contains(value),
            (Question.Contains, Operand.Value { Is: string part }, string text) => text.Contains(part, StringComparison.Ordinal),
            (Question.StartsWith, Operand.Value { Is: string part }, string text) => text.StartsWith(part, StringComparison.Ordinal),
            (Question.EndsWith, Operand.Value { Is: string part }, string text) => text.EndsWith(part, StringComparison.Ordinal),
            (Question.LengthAtMost, Operand.Value { Is: decimal most }, string text) => text.EnumerateRunes().Count() <= most,
            (Question.LengthAtLeast, Operand.Value { Is: decimal least }, string text) => text.EnumerateRunes().Count() >= least,
            _ => true,
        };

    // One ≤ Other + By; strictly less where Strict.
    private sealed record Constraint(string One, string Other, decimal By, bool Strict);

    private static IEnumerable<Constraint> Constraints(Condition.Test test)
    {
        if (test.Operand is null || Place(test.Operand) is not var (place, offset))
        {
            return [];
        }

        var name = Key(test.Name);
        return test.Question switch
        {
            Question.Is => [new(name, place, offset, false), new(place, name, -offset, false)],
            Question.Less => [new(name, place, offset, true)],
            Question.AtMost => [new(name, place, offset, false)],
            Question.More => [new(place, name, -offset, true)],
            Question.AtLeast => [new(place, name, -offset, false)],
            _ => [],
        };
    }

    private static (string Place, decimal Offset)? Place(Operand operand) =>
        operand switch
        {
            Operand.Value { Is: decimal number and > -1e12m and < 1e12m } => ("0", number),
            Operand.Value { Is: DateOnly date } => ("day 0", date.DayNumber),
            Operand.FromToday today => ("today", today.Days),
            Operand.FromNow now => ("now", now.Days),
            Operand.Other other => (Key(other.Name), 0),
            _ => null,
        };

    // Distances that still shrink after as many rounds as there are places lie on a cycle that sums to less than nothing.
    private static bool HasNegativeCycle(Constraint[] constraints)
    {
        var distance = constraints
            .SelectMany(constraint => new[] { constraint.One, constraint.Other })
            .Distinct()
            .ToDictionary(place => place, _ => (By: 0m, Strict: 0));
        for (var round = 0; round <= distance.Count; round++)
        {
            var shrank = false;
            foreach (var constraint in constraints)
            {
                var (by, strict) = distance[constraint.Other];
                var reached = (By: by + constraint.By, Strict: strict - (constraint.Strict ? 1 : 0));
                if (reached.CompareTo(distance[constraint.One]) < 0)
                {
                    distance[constraint.One] = reached;
                    shrank = true;
                }
            }

            if (!shrank)
            {
                return false;
            }
        }

        return constraints.Length > 0;
    }
}
