using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Core.Workflows.Triggers;
using Rostrum.Sources;
using Rostrum.Web.Logbook;

namespace Rostrum.Web.Workflows.Running;

/// <summary>A saved record as workflows are told of it.</summary>
/// <param name="Key">Its key as text; blank where it has none.</param>
/// <param name="Title">What names it.</param>
/// <param name="Kind">Added, changed or deleted.</param>
/// <param name="Fields">The fields whose values are others than before.</param>
/// <param name="Before">Its values before, as formulas carry them.</param>
/// <param name="After">Its values after.</param>
internal sealed record SavedChangeJson(string Key, string Title, string Kind, string[] Fields, JsonObject? Before, JsonObject? After)
{
    /// <summary>The fields whose values are others than before, for the logbook: of each the values before and after, exactly.</summary>
    public string Logged { get; init; } = "{}";

    /// <summary>What takes it back, as text; null where nothing does.</summary>
    public string? Inverse { get; init; }

    /// <summary>The record's dataset, where its source changed it by itself with a record of another.</summary>
    public Guid? Dataset { get; init; }

    private static readonly RunValues Values = new(DatasetShapes.Of(new DatasetCatalogue([]), Core.Access.Grants.ViewEverything));

    /// <summary>A change, after those that the source made along with it: what is taken back from the last on fits its keys.</summary>
    /// <param name="dataset">The record's dataset.</param>
    /// <param name="change">The change.</param>
    /// <param name="isHeard">Whether a workflow hears of a dataset's records: the values as formulas have them are for it alone.</param>
    public static IEnumerable<SavedChangeJson> Of(Dataset dataset, SavedChange change, Func<DatasetId, bool> isHeard)
    {
        ArgumentNullException.ThrowIfNull(isHeard);
        return
        [
            .. change
                .Along.Reverse()
                .Select(along => One(along.Dataset, along.Change, isHeard(along.Dataset.Id)) with { Dataset = along.Dataset.Id.Value }),
            One(dataset, change, isHeard(dataset.Id)),
        ];
    }

    private static SavedChangeJson One(Dataset dataset, SavedChange change, bool isHeard)
    {
        var (before, after) = (change.Before, change.After);
        FieldName[] changed =
        [
            .. (after ?? before ?? FieldValues.None).Fields.Where(field =>
                before is null || after is null || !FieldText.SameValue(before[field], after[field])
            ),
        ];
        return new SavedChangeJson(
            (change.Key ?? (change.Applied as Change.Delete)?.Key)?.ToText(dataset) ?? "",
            change.Title,
            RecordTrigger.Word(change.Applied),
            [.. changed.Select(field => field.Value)],
            isHeard ? Written(dataset, before) : null,
            isHeard ? Written(dataset, after) : null
        )
        {
            Logged = LoggedValues.Write(dataset, changed, before, after),
            Inverse = change.Inverse is null ? null : ChangeText.Write(dataset, change.Inverses(dataset)),
        };
    }

    // It never stands in a page: quotes within texts need not be written as six letters each.
    private static readonly JsonSerializerOptions Kept = new(JsonSerializerDefaults.Web)
    {
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    };

    public static string Write(IEnumerable<SavedChangeJson> changes) => JsonSerializer.Serialize(changes, Kept);

    public static SavedChangeJson[] Read(string json) => JsonSerializer.Deserialize<SavedChangeJson[]>(json, Kept)!;

    /// <summary>Whether a trigger hears of it.</summary>
    public bool IsHeardBy(RecordTrigger trigger) =>
        Kind switch
        {
            "added" => trigger.Added,
            "deleted" => trigger.Deleted,
            _ => trigger.Changed && (trigger.Fields.IsEmpty || trigger.Fields.Any(field => Fields.Contains(field.Value))),
        };

    /// <summary>What its trigger gives.</summary>
    public string Input(string person) =>
        new JsonObject
        {
            ["record"] = Kind == "deleted" || Key.Length == 0 ? null : new JsonObject { [RunValues.Key] = Key },
            ["before"] = Before?.DeepClone(),
            ["after"] = After?.DeepClone(),
            ["kind"] = Kind,
            ["person"] = person,
        }.ToJsonString();

    /// <summary>A record's values, as they are kept.</summary>
    public static JsonObject? Written(Dataset dataset, FieldValues? values) =>
        values is null
            ? null
            : new JsonObject(
                values
                    .Where(pair => pair.Value is not Unreadable)
                    .Select(pair =>
                        KeyValuePair.Create(
                            pair.Key.Value,
                            Values.Write(dataset.Find(pair.Key) is { } field ? DatasetShapes.Carried(field, pair.Value) : null)
                        )
                    )
            );
}
