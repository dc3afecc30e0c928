using System.Text.Json;
using System.Text.Json.Nodes;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows;

/// <summary>Values of formulas as runs keep them, in JSON.</summary>
/// <remarks>A record of a dataset is kept by its key, and read anew where it is looked at; other records by their values.</remarks>
public sealed class RunValues(DatasetShapes shapes)
{
    /// <summary>The name under which a record's key stands.</summary>
    public const string Key = "$key";

    /// <summary>A value as it is kept; null where it is blank.</summary>
    public JsonNode? Write(object? value) =>
        value switch
        {
            null => null,
            FormulaRecord { Identity: RecordKey key } record when shapes.Knows(record.Shape) => new JsonObject
            {
                [Key] = key.ToText(shapes.Of(record.Shape).Dataset),
            },
            FormulaRecord record => new JsonObject(
                record.Shape.Members.Select((member, at) => KeyValuePair.Create(member.Key, Write(record[at])))
            ),
            IReadOnlyList<object?> list => new JsonArray([.. list.Select(Write)]),
            JsonElement json => JsonNode.Parse(json.GetRawText()),
            decimal number => JsonValue.Create(number),
            bool yes => JsonValue.Create(yes),
            DateOnly day => JsonValue.Create(day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture)),
            TimeOnly time => JsonValue.Create(time.ToString("O", System.Globalization.CultureInfo.InvariantCulture)),
            DateTimeOffset moment => JsonValue.Create(
                moment.ToUniversalTime().ToString("O", System.Globalization.CultureInfo.InvariantCulture)
            ),
            string text => JsonValue.Create(text),
            _ => JsonValue.Create(Convert.ToString(value, System.Globalization.CultureInfo.InvariantCulture)),
        };

    /// <summary>The same as one piece of JSON.</summary>
    public JsonElement? Element(object? value) => Write(value) is { } node ? JsonSerializer.SerializeToElement(node) : null;

    /// <summary>A kept value of a type.</summary>
    /// <param name="type">The type.</param>
    /// <param name="kept">The value as it is kept.</param>
    /// <param name="record">Gives the record of a dataset by its key; null where it is not there.</param>
    public object? Read(FormulaType type, JsonElement? kept, Func<DatasetShape, RecordKey, FormulaRecord?> record)
    {
        ArgumentNullException.ThrowIfNull(record);
        if (kept is not { } json || json.ValueKind is JsonValueKind.Null)
        {
            return null;
        }

        return type switch
        {
            FormulaType.Record { Shape: var shape } when shapes.Knows(shape) => KeyOf(shapes.Of(shape), json) is { } key
                ? record(shapes.Of(shape), key)
                : null,
            FormulaType.Record { Shape: var shape } when json.ValueKind is JsonValueKind.Object => new FormulaRecord(
                shape,
                [
                    .. shape.Members.Select(member =>
                        json.TryGetProperty(member.Key, out var value) ? Read(member.Value, value, record) : null
                    ),
                ]
            ),
            FormulaType.List list when json.ValueKind is JsonValueKind.Array => json.EnumerateArray()
                .Select(item => Read(list.Element, item, record))
                .ToArray(),
            _ => JsonShape.Read(type, json),
        };
    }

    /// <summary>The keys of records of datasets within a kept value, each with the place in its shape by which formulas reach it.</summary>
    public static RecordKey? KeyOf(DatasetShape shape, JsonElement json)
    {
        ArgumentNullException.ThrowIfNull(shape);
        return json.ValueKind is JsonValueKind.Object && json.TryGetProperty(Key, out var key) && key.ValueKind is JsonValueKind.String
            ? RecordKey.Parse(shape.Dataset, key.GetString()!)
            : null;
    }
}
