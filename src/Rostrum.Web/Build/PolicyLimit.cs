using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build;

/// <summary>Something that narrows a role's rights, in words.</summary>
/// <param name="Words">The words.</param>
/// <param name="Formula">The formula that they introduce, where there is one.</param>
/// <param name="Problem">What is wrong with it.</param>
internal sealed record PolicyLimit(string Words, string? Formula = null, string? Problem = null)
{
    /// <summary>What narrows a policy; nothing where there is none.</summary>
    public static IEnumerable<PolicyLimit> Of(
        StoredPolicy? policy,
        string kind,
        DatasetCatalogue catalogue,
        Dataset dataset,
        SignedIn anybody
    )
    {
        foreach (
            var (words, formula) in new[]
            {
                ("Only records where", policy?.Condition),
                ("Adds, changes and deletes only where", policy?.WriteCondition),
            }
        )
        {
            if (formula is not null)
            {
                yield return new PolicyLimit(
                    words,
                    formula,
                    RecordGate.ProblemOf(kind, catalogue, dataset, formula, anybody) is { } problem
                        ? $"Nobody gets through: {problem}"
                        : null
                );
            }
        }

        if (policy?.HiddenFields is { Length: > 0 } hidden)
        {
            string Label(string name) =>
                dataset.Find(new FieldName(name)) is { } field ? Wording.InSentence(dataset.LabelOf(field.Name)) : name;
            yield return new PolicyLimit($"Without {string.Join(", ", hidden.Select(Label))}.");
        }
    }
}
