using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows;

/// <summary>Types that are read from a sample of JSON, and values of such types.</summary>
public static class JsonShape
{
    /// <summary>The type of a sample; null where it is no JSON.</summary>
    /// <remarks>An object is a record of its members, a list one of its first member's type. A text that is a date or a moment as
    /// ISO 8601 has them is one. What is null in the sample is a text.</remarks>
    /// <param name="sample">The sample.</param>
    /// <param name="name">What people call a record of it.</param>
    public static FormulaType? TypeOf(string sample, string name)
    {
        try
        {
            using var document = JsonDocument.Parse(sample);
            return TypeOf(document.RootElement, name);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    /// <summary>A value of a type out of JSON; null where it is none of it.</summary>
    public static object? Read(FormulaType type, JsonElement json) =>
        (type, json.ValueKind) switch
        {
            (_, JsonValueKind.Null or JsonValueKind.Undefined) => null,
            (FormulaType.Record record, JsonValueKind.Object) => new FormulaRecord(
                record.Shape,
                [
                    .. record.Shape.Members.Select(member =>
                        json.TryGetProperty(member.Key, out var value) ? Read(member.Value, value) : null
                    ),
                ]
            ),
            (FormulaType.List list, JsonValueKind.Array) => json.EnumerateArray().Select(item => Read(list.Element, item)).ToArray(),
            (FormulaType.Number, JsonValueKind.Number) => json.TryGetDecimal(out var number) ? number : null,
            (FormulaType.Number, JsonValueKind.String) => decimal.TryParse(
                json.GetString(),
                NumberStyles.Number,
                CultureInfo.InvariantCulture,
                out var number
            )
                ? number
                : null,
            (FormulaType.Boolean, JsonValueKind.True) => true,
            (FormulaType.Boolean, JsonValueKind.False) => false,
            (FormulaType.Date, JsonValueKind.String) => Date(json.GetString()!),
            (FormulaType.DateTime, JsonValueKind.String) => Moment(json.GetString()!),
            (FormulaType.Time, JsonValueKind.String) => TimeOnly.TryParse(json.GetString(), CultureInfo.InvariantCulture, out var time)
                ? time
                : null,
            (FormulaType.Text or FormulaType.Choice, JsonValueKind.String) => json.GetString(),
            (FormulaType.Text, JsonValueKind.Number or JsonValueKind.True or JsonValueKind.False) => json.GetRawText(),
            (FormulaType.Json, _) => json.Clone(),
            _ => null,
        };

    private static FormulaType TypeOf(JsonElement json, string name) =>
        json.ValueKind switch
        {
            JsonValueKind.Object => new FormulaType.Record(
                new FormulaShape(
                    name,
                    json.EnumerateObject()
                        .Select(member => KeyValuePair.Create(member.Name, TypeOf(member.Value, member.Name)))
                        .ToImmutableArray()
                )
            ),
            JsonValueKind.Array => new FormulaType.List(json.GetArrayLength() == 0 ? new FormulaType.Text() : TypeOf(json[0], name)),
            JsonValueKind.Number => new FormulaType.Number(),
            JsonValueKind.True or JsonValueKind.False => new FormulaType.Boolean(),
            JsonValueKind.String when Date(json.GetString()!) is not null => new FormulaType.Date(),
            JsonValueKind.String when Moment(json.GetString()!) is not null => new FormulaType.DateTime(),
            _ => new FormulaType.Text(),
        };

    private static DateOnly? Date(string text) =>
        DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day) ? day : null;

    private static DateTimeOffset? Moment(string text) =>
        text.Length >= 16
        && text[4] == '-'
        && text[10] is 'T' or ' '
        && DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var moment)
            ? moment.ToUniversalTime()
            : null;
}
