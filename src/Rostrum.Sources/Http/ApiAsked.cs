using System.Collections.Immutable;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Sql;

namespace Rostrum.Sources.Http;

/// <summary>What of a request an API is asked for; memory decides the rest.</summary>
/// <param name="Filters">Each set of query parameters, for one list of records.</param>
/// <param name="Record">The one record that is wanted, where the API gives it by itself.</param>
/// <param name="IsAll">Memory has nothing to decide: the API's own order and pages are the answer.</param>
/// <param name="IsUnconditional">All records are wanted.</param>
/// <param name="Left">What memory decides, in words for builders.</param>
internal sealed record ApiAsked(
    ImmutableArray<ImmutableArray<KeyValuePair<string, string>>> Filters,
    RecordKey? Record,
    bool IsAll,
    bool IsUnconditional,
    ImmutableArray<string> Left
)
{
    /// <summary>So many values of a field, or single records, are asked for one by one; for more of them the list is.</summary>
    public const int MostValues = 5;

    public static ApiAsked Of(Wanted wanted, ApiResource resource)
    {
        var (dataset, request) = (wanted.Dataset, wanted.Request);
        Filter[] seen = [.. RequestFormulas.Conjuncts(wanted.Seen)];
        Filter[] conditions = [.. RequestFormulas.Conjuncts(wanted.Narrowing), .. seen];
        var asked = new Dictionary<string, (FieldName Field, string[] Values)>(StringComparer.Ordinal);
        var left = ImmutableArray.CreateBuilder<string>();
        foreach (var condition in conditions)
        {
            if (!IsAsked(condition))
            {
                left.Add(Said(dataset, resource, condition));
            }
        }

        ImmutableArray<KeyValuePair<string, string>>[] filters =
        [
            [],
        ];
        foreach (var (parameter, (_, values)) in asked)
        {
            filters = [.. filters.SelectMany(known => values.Select(value => known.Add(KeyValuePair.Create(parameter, value))))];
        }

        var order =
            filters.Length == 1
            && request.Sort is [var sort]
            && !wanted.IsSometimesHidden(sort.Field)
            && dataset.IsOrderedByColumn(sort.Field)
                ? resource.Order?.By(dataset[sort.Field].Column, sort.Descending) ?? []
                : [];
        if (request.Filter.LooksAtOthers.Any())
        {
            left.Add("which records are alike");
        }

        var titled = request.Sort.Length > 0 && order.IsEmpty ? "the order" : null;
        var searched = request.Search.Length > 0 ? "the search" : null;
        left.AddRange(((string?[])[titled, searched, request.Each is null ? null : "the first of each"]).OfType<string>());
        return new ApiAsked(
            [.. filters.Select(known => known.AddRange(order))],
            resource.One is null ? null : Single(dataset, conditions),
            left.Count == 0 && filters.Length == 1,
            conditions.Length == 0,
            left.ToImmutable()
        );

        // A parameter is asked for once, with what all conditions on its field leave; one parameter at the most has several values.
        bool IsAsked(Filter condition)
        {
            if (
                condition is not Filter.OneOf { Values: { Length: >= 1 and <= MostValues } values } one
                || values.Contains(null)
                || (wanted.IsSometimesHidden(one.Field) && !seen.Contains(condition))
                || !resource.Filters.TryGetValue(dataset[one.Field].Column, out var parameter)
            )
            {
                return false;
            }

            string[] texts = [.. values.Select(ApiValues.Text).Distinct(StringComparer.Ordinal)];
            var isKnown = asked.TryGetValue(parameter, out var known);
            var isAsked = isKnown ? known.Field == one.Field : texts.Length == 1 || asked.Values.All(other => other.Values.Length <= 1);
            if (isAsked)
            {
                asked[parameter] = (one.Field, isKnown ? [.. known.Values.Intersect(texts, StringComparer.Ordinal)] : texts);
            }

            return isAsked;
        }
    }

    private static string Said(Dataset dataset, ApiResource resource, Filter condition) =>
        condition is Filter.OneOf or Filter.Compare or Filter.Contains && condition.Fields.FirstOrDefault() is { Value: not null } name
            ? resource.Filters.ContainsKey(dataset[name].Column)
                ? $"so many values of {dataset[name].Label.ToLowerInvariant()}"
                : $"a filter by {dataset[name].Label.ToLowerInvariant()}"
            : "a condition";

    // The key that the conditions pin down.
    private static RecordKey? Single(Dataset dataset, Filter[] conditions)
    {
        var values = dataset
            .Key.Select(name =>
                conditions
                    .OfType<Filter.OneOf>()
                    .Where(one => one.Field == name && one.Values is [not null])
                    .Select(one => one.Values[0])
                    .FirstOrDefault()
            )
            .ToArray();
        return values.Length > 0 && values.All(value => value is not null) ? new RecordKey([.. values!]) : null;
    }
}
