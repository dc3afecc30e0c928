using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Datasets;

namespace Rostrum.Web.Logbook;

/// <summary>One field of a logged change.</summary>
/// <param name="Field">The field.</param>
/// <param name="Before">Its value before; null for a blank.</param>
/// <param name="After">Its value after; null for a blank.</param>
internal sealed record LoggedValue(Field Field, object? Before, object? After);

/// <summary>The values of a logged change as they are kept: of each field the exact text of both.</summary>
internal static class LoggedValues
{
    /// <summary>What a value is written as that its source could not read.</summary>
    private const string NoValue = "\u0000";

    public static string Write(Dataset dataset, IEnumerable<FieldName> fields, FieldValues? before, FieldValues? after) =>
        JsonSerializer.Serialize(
            fields
                .Where(field => dataset.Find(field) is { Formula: null })
                .Select(field => (Field: field, Before: Text(dataset, field, before), After: Text(dataset, field, after)))
                .Where(pair => pair.Before is not null || pair.After is not null)
                .ToDictionary(pair => pair.Field.Value, pair => new[] { pair.Before, pair.After })
        );

    /// <summary>The values of fields that are there still, in the order of the dataset's fields.</summary>
    public static ImmutableArray<LoggedValue> Read(Dataset dataset, string kept)
    {
        var values = JsonSerializer.Deserialize<Dictionary<string, string?[]>>(kept)!;
        return
        [
            .. from field in dataset.Fields
            where values.ContainsKey(field.Name.Value)
            let pair = values[field.Name.Value]
            select new LoggedValue(field, Value(field, pair[0]), Value(field, pair[1])),
        ];
    }

    private static string? Text(Dataset dataset, FieldName field, FieldValues? values) =>
        values is null || !values.Has(field) || values[field] is not { } value ? null
        : value is Unreadable ? NoValue
        : FieldText.ToCanonical(dataset[field].Type, value);

    private static object? Value(Field field, string? text) =>
        text is null ? null
        : text != NoValue && FieldText.FromCanonical(field.Type, text) is Parsed.Value { Is: var value } ? value
        : new Unreadable(text == NoValue ? "" : text);
}
