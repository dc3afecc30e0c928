using System.Collections.Immutable;
using System.Text.Json;

namespace Rostrum.Core.Datasets;

/// <summary>A change as text that keeps every value exactly, for keeping it until it is undone.</summary>
public static class ChangeText
{
    private sealed record Document(
        string Kind,
        string? Key,
        ImmutableDictionary<string, string?> Original,
        ImmutableDictionary<string, string?> Values
    );

    /// <summary>The change as JSON.</summary>
    public static string Write(Dataset dataset, Change change) =>
        JsonSerializer.Serialize(
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
            },
            KindJson.Options
        );

    /// <summary>Reads what <see cref="Write"/> wrote; null where the dataset no longer has what it names.</summary>
    public static Change? Read(Dataset dataset, string text)
    {
        var document = JsonSerializer.Deserialize<Document>(text, KindJson.Options);
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

    private static ImmutableDictionary<string, string?> Texts(Dataset dataset, FieldValues values) =>
        values
            .Where(pair => pair.Value is not Unreadable)
            .ToImmutableDictionary(
                pair => pair.Key.Value,
                pair => pair.Value is null ? null : FieldText.ToCanonical(dataset[pair.Key].Type, pair.Value)
            );

    private static FieldValues? Values(Dataset dataset, ImmutableDictionary<string, string?> texts)
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
