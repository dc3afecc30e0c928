using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Core.Datasets.Rules;

namespace Rostrum.Web.Live.Sheet;

/// <summary>Why a record may not be changed, in words, as far as somebody may know the fields by which that is decided.</summary>
internal static class LimitWords
{
    public static string Of(Dataset dataset, Grant grant, Verbs verb, RecordFormat format)
    {
        var plain = $"You may not change this {dataset.RecordLabel}.";
        var words = Parts(grant.For(verb))
            .Where(part => part != grant.Condition)
            .Select(part => Words(dataset, grant, part, format))
            .ToArray();
        return words.Length == 0 || words.Contains(null) ? plain : $"{plain} You may change those of which {string.Join(" and ", words)}.";
    }

    private static ImmutableArray<Filter> Parts(Filter filter) => filter is Filter.And all ? all.Parts : [filter];

    private static string? Words(Dataset dataset, Grant grant, Filter filter, RecordFormat format)
    {
        return filter switch
        {
            Filter.Holds holds when ConditionFormula.Read(holds.Formula) is { } condition && Names(condition).All(IsKnown) =>
                ConditionWords.Of(condition, Label, format),
            Filter.Or any
                when any.Parts.Select(part => Words(dataset, grant, part, format)).ToArray() is var parts && !parts.Contains(null) =>
                string.Join(" or ", parts),
            _ => null,
        };

        bool IsKnown(ImmutableArray<string> name) => FieldOf(name[0]) is { } field && grant.Readable.Has(field);

        FieldName? FieldOf(string name) =>
            dataset.Find(new FieldName(name))?.Name ?? dataset.Relations.FirstOrDefault(relation => relation.Name.Value == name)?.Field;

        string Label(ImmutableArray<string> name) =>
            name is ["user", var own]
                ? $"your {own}"
                : string.Join(
                    "’s ",
                    name.Select(
                        (part, at) =>
                            Wording.InSentence(at == 0 && FieldOf(part) is { } field ? dataset.LabelOf(field) : Wording.Label(part))
                    )
                );
    }

    private static IEnumerable<ImmutableArray<string>> Names(Condition condition) =>
        condition switch
        {
            Condition.All all => all.Parts.SelectMany(Names),
            Condition.Any any => any.Parts.SelectMany(Names),
            Condition.Test test => [test.Name],
            _ => [],
        };
}
