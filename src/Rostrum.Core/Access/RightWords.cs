using System.Collections.Immutable;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Access;

/// <summary>Rights as people read them.</summary>
public static class RightWords
{
    /// <summary>The word for each verb, in the order in which they are always named.</summary>
    public static ImmutableArray<(Verbs Verb, string Word)> Words { get; } =
    [
        (Verbs.View, "view"),
        (Verbs.Create, "add"),
        (Verbs.Update, "change"),
        (Verbs.Delete, "delete"),
        (Verbs.Download, "download"),
        (Verbs.ReadNotes, "read notes"),
        (Verbs.WriteNotes, "write notes"),
        (Verbs.RunActions, "run actions"),
    ];

    /// <summary>The words for some verbs, in the order in which they are always named.</summary>
    public static IEnumerable<string> Of(Dataset dataset, Verbs verbs) =>
        dataset is { IsStatement: true }
            ? verbs.HasFlag(Verbs.Update)
                ? ["run"]
                : []
            : Words.Where(word => verbs.HasFlag(word.Verb)).Select(word => word.Word);

    /// <summary>What somebody may do, as it stands in a sentence: “add and change fuel logs, and read their notes”.</summary>
    public static string InSentence(Dataset dataset, Verbs verbs)
    {
        ArgumentNullException.ThrowIfNull(dataset);
        var own = Wording.Listed([.. Of(dataset, verbs & ~(Verbs.ReadNotes | Verbs.WriteNotes | Verbs.RunActions))]);
        string[] notes =
        [
            .. verbs.HasFlag(Verbs.ReadNotes) ? ["read"] : Array.Empty<string>(),
            .. verbs.HasFlag(Verbs.WriteNotes) ? ["write"] : Array.Empty<string>(),
        ];
        var others = new List<string>();
        if (notes.Length > 0 && !dataset.IsStatement)
        {
            others.Add($"{Wording.Listed(notes)} {(own.Length > 0 ? "their notes" : $"notes of {dataset.LabelInSentence}")}");
        }

        if (verbs.HasFlag(Verbs.RunActions) && !dataset.IsStatement)
        {
            others.Add($"run actions on {(own.Length > 0 || others.Count > 0 ? "them" : dataset.LabelInSentence)}");
        }

        return own.Length == 0 ? string.Join(" and ", others)
            : others.Count == 0 ? $"{own} {dataset.LabelInSentence}"
            : $"{own} {dataset.LabelInSentence}, and {string.Join(" and ", others)}";
    }

    /// <summary>What narrows a policy, for each of its conditions.</summary>
    public static IEnumerable<string> Limits(Policy policy)
    {
        ArgumentNullException.ThrowIfNull(policy);
        if (policy.Condition is Filter.Holds seen)
        {
            yield return $"only where {seen.Formula}";
        }

        foreach (var (verbs, formula) in Narrower(policy))
        {
            yield return $"{string.Join(", ", verbs)} only where {formula}";
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

    /// <summary>The words for verbs that have a condition of their own; those with the same one together.</summary>
    public static IEnumerable<(IEnumerable<string> Verbs, string Formula)> Narrower(Policy policy) =>
        from word in Words
        let holds = policy.Narrower.GetValueOrDefault(word.Verb) as Filter.Holds
        where holds is not null
        group word.Word by holds.Formula into verbs
        select ((IEnumerable<string>)verbs, verbs.Key);

    private static ImmutableHashSet<FieldName> Excluded(FieldSet fields) => fields is FieldSet.But but ? but.Fields : [];

    private static string Labels(IEnumerable<FieldName> fields) =>
        string.Join(", ", fields.Select(field => Wording.Uncapitalised(Wording.Label(field.Value))).Order(StringComparer.CurrentCulture));
}
