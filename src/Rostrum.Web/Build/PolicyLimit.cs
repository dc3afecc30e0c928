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
        foreach (var (words, formula) in Conditions(policy))
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

        string Labels(string[] fields) =>
            string.Join(
                ", ",
                fields.Select(name =>
                    dataset.Find(new FieldName(name)) is { } field ? Wording.InSentence(dataset.LabelOf(field.Name)) : name
                )
            );
        foreach (
            var (words, fields) in new[]
            {
                ("Without {0}.", policy?.HiddenFields),
                ("Reads {0} only.", policy?.ReadOnlyFields),
                ("Sets {0} in new records only.", policy?.NewOnlyFields),
            }
        )
        {
            if (fields is { Length: > 0 })
            {
                yield return new PolicyLimit(words.Replace("{0}", Labels(fields), StringComparison.Ordinal));
            }
        }
    }

    private static IEnumerable<(string Words, string? Formula)> Conditions(StoredPolicy? policy) =>
        policy is null
            ? []
            : RightWords
                .Narrower(policy.AsPolicy())
                .Select(narrower => (Words: $"{Wording.Listed(narrower.Verbs.Select(verb => $"{verb}s"))} only where", narrower.Formula))
                .Select(narrower => ($"{char.ToUpperInvariant(narrower.Words[0])}{narrower.Words[1..]}", (string?)narrower.Formula))
                .Prepend(("Only records where", policy.Condition));
}
