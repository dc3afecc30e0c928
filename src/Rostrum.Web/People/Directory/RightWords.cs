using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.People.Directory;

/// <summary>Rights as people read them.</summary>
internal static class RightWords
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
        dataset.IsStatement
            ? verbs.HasFlag(Verbs.Update)
                ? ["run"]
                : []
            : Words.Where(word => verbs.HasFlag(word.Verb)).Select(word => word.Word);

    /// <summary>What narrows a policy, for each of its conditions.</summary>
    public static IEnumerable<string> Limits(Policy policy)
    {
        if (policy.Condition is Filter.Holds seen)
        {
            yield return $"only where {seen.Formula}";
        }

        if (policy.WriteCondition is Filter.Holds written)
        {
            yield return $"adds, changes and deletes only where {written.Formula}";
        }

        if (policy.Readable is FieldSet.But { Fields: { IsEmpty: false } hidden })
        {
            var labels = hidden.Select(field => Wording.Uncapitalised(Wording.Label(field.Value))).Order(StringComparer.CurrentCulture);
            yield return $"without {string.Join(", ", labels)}";
        }
    }
}
