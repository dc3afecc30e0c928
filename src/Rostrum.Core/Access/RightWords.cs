using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Access;

/// <summary>Rights as people read them.</summary>
public static class RightWords
{
    private static readonly (Verbs Verb, string Word)[] Words =
    [
        (Verbs.View, "view"),
        (Verbs.Create, "add"),
        (Verbs.Update, "change"),
        (Verbs.Delete, "delete"),
    ];

    /// <summary>The words for some verbs, in the order in which they are always named.</summary>
    public static IEnumerable<string> Of(Dataset dataset, Verbs verbs) =>
        dataset is { IsStatement: true }
            ? verbs.HasFlag(Verbs.Update)
                ? ["run"]
                : []
            : Words.Where(word => verbs.HasFlag(word.Verb)).Select(word => word.Word);

    /// <summary>What narrows a policy, for each of its conditions.</summary>
    public static IEnumerable<string> Limits(Policy policy)
    {
        ArgumentNullException.ThrowIfNull(policy);
        if (policy.Condition is Filter.Holds seen)
        {
            yield return $"only where {seen.Formula}";
        }

        foreach (var narrower in Narrower(policy))
        {
            yield return narrower;
        }

        var hidden = Excluded(policy.Readable);
        if (!hidden.IsEmpty)
        {
            yield return $"without {Labels(hidden)}";
        }

        var newOnly = Excluded(policy.Writable).Except(Excluded(policy.WritableInNew));
        if (!newOnly.IsEmpty)
        {
            yield return $"sets {Labels(newOnly)} in new records only";
        }

        var readOnly = Excluded(policy.WritableInNew).Except(hidden);
        if (!readOnly.IsEmpty)
        {
            yield return $"reads {Labels(readOnly)} only";
        }
    }

    // Verbs with the same condition are named together.
    private static IEnumerable<string> Narrower(Policy policy) =>
        from word in Words
        where policy.Narrower.GetValueOrDefault(word.Verb) is Filter.Holds
        group word.Word by ((Filter.Holds)policy.Narrower[word.Verb]).Formula into verbs
        select $"{string.Join(", ", verbs)} only where {verbs.Key}";

    private static ImmutableHashSet<FieldName> Excluded(FieldSet fields) => fields is FieldSet.But but ? but.Fields : [];

    private static string Labels(IEnumerable<FieldName> fields) =>
        string.Join(", ", fields.Select(field => Wording.Uncapitalised(Wording.Label(field.Value))).Order(StringComparer.CurrentCulture));
}
