using System.Text.Json;
using System.Text.Json.Nodes;

namespace Rostrum.Core.Datasets;

/// <summary>Joins what two builders changed of one dataset at the same time.</summary>
public static class DatasetMerge
{
    // What a dataset has several of, each under a name.
    private static readonly string[] Lists = ["fields", "relations", "rules", "linked"];

    /// <summary>A change of a dataset, made on its newest state.</summary>
    /// <param name="newest">The dataset as it is now.</param>
    /// <param name="before">The dataset with which the change began.</param>
    /// <param name="changed">The dataset with the change.</param>
    /// <returns>The dataset with both; null where somebody else changed the same thing to something else.</returns>
    public static Dataset? Onto(Dataset newest, Dataset before, Dataset changed)
    {
        var (theirs, was, mine) = (Tree(newest), Tree(before), Tree(changed));
        if (Same(theirs, was))
        {
            return changed;
        }

        // A rule's name is Rostrum's own: two that are new are two, though they were given the same.
        mine["rules"] = Renamed(Items(mine["rules"]), Items(was["rules"]), Items(theirs["rules"]));
        foreach (var name in mine.Select(pair => pair.Key).Union(was.Select(pair => pair.Key)).ToArray())
        {
            var merged = Lists.Contains(name)
                ? List(Items(theirs[name]), Items(was[name]), Items(mine[name]))
                : One(theirs[name], was[name], mine[name]);
            if (!merged.Fits)
            {
                return null;
            }

            theirs[name] = merged.Value?.DeepClone();
        }

        return theirs.Deserialize<Dataset>(KindJson.Options);
    }

    private static JsonArray Renamed(JsonObject mine, JsonObject was, JsonObject theirs)
    {
        var taken = Names(mine).Concat(Names(theirs)).ToHashSet(StringComparer.Ordinal);
        foreach (var (name, rule) in mine.Where(pair => !was.ContainsKey(pair.Key) && theirs.ContainsKey(pair.Key)))
        {
            var number = 2;
            while (!taken.Add($"{name}_{number}"))
            {
                number++;
            }

            rule!["name"] = $"{name}_{number}";
        }

        return new JsonArray([.. mine.Select(pair => pair.Value!.DeepClone())]);
    }

    private static (bool Fits, JsonNode? Value) One(JsonNode? theirs, JsonNode? was, JsonNode? mine) =>
        Same(mine, was) ? (true, theirs)
        : Same(theirs, was) || Same(theirs, mine) ? (true, mine)
        : (false, null);

    // Each by its name; they stand as they were put last, and what only the other has comes after.
    private static (bool Fits, JsonNode? Value) List(JsonObject theirs, JsonObject was, JsonObject mine)
    {
        var moved = !Names(mine).Where(was.ContainsKey).SequenceEqual(Names(was).Where(mine.ContainsKey));
        var order = moved ? Names(mine).Concat(Names(theirs)) : Names(theirs).Concat(Names(mine));
        var merged = new JsonArray();
        foreach (var name in order.Distinct().ToArray())
        {
            var (fits, value) = One(theirs[name], was[name], mine[name]);
            if (!fits)
            {
                return (false, null);
            }

            if (value is not null)
            {
                merged.Add(value.DeepClone());
            }
        }

        return (true, merged);
    }

    private static IEnumerable<string> Names(JsonObject items) => items.Select(pair => pair.Key);

    private static JsonObject Items(JsonNode? list) =>
        new(
            (list as JsonArray ?? [])
                .OfType<JsonObject>()
                .Select(item => KeyValuePair.Create(item["name"]!.ToString(), (JsonNode?)item.DeepClone()))
        );

    private static JsonObject Tree(Dataset dataset) => (JsonObject)JsonSerializer.SerializeToNode(dataset, KindJson.Options)!;

    private static bool Same(JsonNode? one, JsonNode? other) => JsonNode.DeepEquals(one, other);
}
