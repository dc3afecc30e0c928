using System.Collections.Immutable;
using System.Text.Json;

namespace Rostrum.Core.Datasets;

/// <summary>A change as text that keeps every value exactly, for keeping it until it is undone.</summary>
public static class ChangeText
{
    private sealed record Document(string Kind, string? Key, Dictionary<string, string?> Original, Dictionary<string, string?> Values)
    {
        public Guid? Dataset { get; init; }
        public bool WentAlong { get; init; }
    }

    /// <summary>Changes of several datasets, one a line; those of one of them do not name it.</summary>
    /// <param name="home">That dataset.</param>
    /// <param name="changes">The changes, in their order.</param>
    public static string Write(Dataset home, IEnumerable<DatasetChange> changes)
    {
        ArgumentNullException.ThrowIfNull(home);
        ArgumentNullException.ThrowIfNull(changes);
        return string.Join(
            '\n',
            changes.Select(one =>
                JsonSerializer.Serialize(
                    DocumentOf(one.Dataset, one.Change) with
                    {
                        Dataset = one.Dataset.Id == home.Id ? null : one.Dataset.Id.Value,
                        WentAlong = one.WentAlong,
                    },
                    KindJson.Options
                )
            )
        );
    }

    /// <summary>
    /// Reads what was written of several datasets, in its order: changes that follow one another in the same dataset are one set. Null
    /// where a dataset is no longer there, or no longer has what a change names.
    /// </summary>
    public static ImmutableArray<ChangeSet>? Read(DatasetCatalogue catalogue, Dataset home, string text)
    {
        ArgumentNullException.ThrowIfNull(catalogue);
        ArgumentNullException.ThrowIfNull(home);
        ArgumentNullException.ThrowIfNull(text);
        var changes = new List<(DatasetId, bool, Change)>();
        foreach (var document in text.Split('\n').Select(line => JsonSerializer.Deserialize<Document>(line, KindJson.Options)))
        {
            var dataset = document?.Dataset is { } id ? catalogue.Find(new DatasetId(id)) : home;
            if (dataset is null || Read(dataset, document) is not { } change)
            {
                return null;
            }

            changes.Add((dataset.Id, document!.WentAlong, change));
        }

        return ChangeSets.Of(changes);
    }

    /// <summary>The change as JSON.</summary>
    public static string Write(Dataset dataset, Change change) => JsonSerializer.Serialize(DocumentOf(dataset, change), KindJson.Options);

    private static Document DocumentOf(Dataset dataset, Change change) =>
        change switch
        {
            Change.Insert insert => new Document("insert", null, Texts(dataset, FieldValues.None), Texts(dataset, insert.Values)),
            Change.Restore restore => new Document("restore", null, Texts(dataset, FieldValues.None), Texts(dataset, restore.Values)),
            Change.Update update => new Document(
                "update",
                update.Key.ToText(dataset),
                Texts(dataset, update.Original),
                Texts(dataset, update.Values)
            ),
            Change.Delete delete => new Document(
                "delete",
                delete.Key.ToText(dataset),
                Texts(dataset, delete.Original),
                Texts(dataset, FieldValues.None)
            ),
            _ => throw new ArgumentOutOfRangeException(nameof(change), change, "unknown change"),
        };

    /// <summary>Reads a change that was written by itself; null where the dataset no longer has what it names.</summary>
    public static Change? Read(Dataset dataset, string text) => Read(dataset, JsonSerializer.Deserialize<Document>(text, KindJson.Options));

    private static Change? Read(Dataset dataset, Document? document)
    {
        if (
            document is null
            || Values(dataset, document.Original) is not { } original
            || Values(dataset, document.Values) is not { } values
        )
        {
            return null;
        }

        var key = document.Key is null ? null : RecordKey.Parse(dataset, document.Key);
        return document.Kind switch
        {
            "insert" => new Change.Insert(values),
            "restore" => new Change.Restore(values),
            "update" when key is not null => new Change.Update(key, original, values),
            "delete" when key is not null => new Change.Delete(key, original),
            _ => null,
        };
    }

    private static Dictionary<string, string?> Texts(Dataset dataset, FieldValues values) =>
        values
            .Where(pair => pair.Value is not Unreadable)
            .ToDictionary(
                pair => pair.Key.Value,
                pair => pair.Value is null ? null : FieldText.ToCanonical(dataset[pair.Key].Type, pair.Value)
            );

    private static FieldValues? Values(Dataset dataset, Dictionary<string, string?> texts)
    {
        var values = new List<KeyValuePair<FieldName, object?>>();
        foreach (var (name, text) in texts)
        {
            if (dataset.Find(new FieldName(name)) is not { } field)
            {
                return null;
            }

            if (text is null)
            {
                values.Add(new(field.Name, null));
            }
            else if (FieldText.FromCanonical(field.Type, text) is Parsed.Value value)
            {
                values.Add(new(field.Name, value.Is));
            }
            else
            {
                return null;
            }
        }

        return new FieldValues(values);
    }
}
