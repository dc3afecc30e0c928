using System.Text.Json;
using System.Text.Json.Serialization;

namespace Rostrum.Core.Datasets;

/// <summary>Identifies a dataset in the workspace.</summary>
public readonly record struct DatasetId(Guid Value)
{
    /// <inheritdoc/>
    public override string ToString() => Value.ToString("N");
}

/// <summary>Identifies a source in the workspace.</summary>
public readonly record struct SourceId(Guid Value)
{
    /// <inheritdoc/>
    public override string ToString() => Value.ToString("N");
}

/// <summary>The name of a field within its dataset: small letters, digits and underscores; formulas and addresses use it.</summary>
[JsonConverter(typeof(FieldNameJson))]
public readonly record struct FieldName(string Value)
{
    /// <inheritdoc/>
    public override string ToString() => Value;
}

/// <summary>A table's name in its source, in the source's own spelling.</summary>
public sealed record TableName(string Schema, string Name)
{
    /// <summary>The schema only where it is not the usual one.</summary>
    public override string ToString() => Schema is "public" or "" ? Name : $"{Schema}.{Name}";
}

internal sealed class FieldNameJson : JsonConverter<FieldName>
{
    public override FieldName Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        new(reader.GetString() ?? "");

    public override void Write(Utf8JsonWriter writer, FieldName value, JsonSerializerOptions options) =>
        writer.WriteStringValue(value.Value);

    public override FieldName ReadAsPropertyName(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        new(reader.GetString() ?? "");

    public override void WriteAsPropertyName(Utf8JsonWriter writer, FieldName value, JsonSerializerOptions options) =>
        writer.WritePropertyName(value.Value);
}
