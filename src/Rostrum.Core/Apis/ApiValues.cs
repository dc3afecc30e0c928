using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apis;

/// <summary>Values as they stand in JSON, in addresses and in headers. Dates and times are those of RFC 3339.</summary>
public static class ApiValues
{
    /// <summary>Whether a text is a date and a time with its distance from UTC.</summary>
    public static bool IsInstant(string text) =>
        text is { Length: >= 17 }
        && text[4] == '-'
        && (text.EndsWith('Z') || text[^6] is '+' or '-')
        && DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.None, out _);

    /// <summary>Whether a text is a date and a time of no zone.</summary>
    public static bool IsLocalMoment(string text) =>
        text is { Length: >= 16 }
        && text[4] == '-'
        && text[10] is 'T' or ' '
        && !IsInstant(text)
        && DateTime.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.None, out _);

    /// <summary>Whether a text is a number with digits after its point: one without may be a code.</summary>
    public static bool IsDecimalText(string text) =>
        text is not null
        && text.Contains('.', StringComparison.Ordinal)
        && !text.StartsWith("00", StringComparison.Ordinal)
        && decimal.TryParse(text, NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out _);

    /// <summary>The value of a field in a record: blank where it is missing or null, unreadable where it is none of its type.</summary>
    public static object? Read(JsonElement record, ApiField field)
    {
        ArgumentNullException.ThrowIfNull(field);
        if (JsonPointer.At(record, field.Pointer) is not { ValueKind: not (JsonValueKind.Null or JsonValueKind.Undefined) } element)
        {
            return null;
        }

        var text = element.ValueKind is JsonValueKind.String ? element.GetString()! : element.GetRawText();
        object? value = field.Type switch
        {
            FieldType.Text or FieldType.Choice or FieldType.Native => text,
            FieldType.Integer => long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var whole)
                ? whole
                : null,
            FieldType.Number or FieldType.Floating => decimal.TryParse(
                text,
                NumberStyles.Float,
                CultureInfo.InvariantCulture,
                out var number
            )
                ? WithoutNoughts(number)
                : null,
            FieldType.YesNo => text switch
            {
                "true" or "1" => true,
                "false" or "0" => false,
                _ => null,
            },
            FieldType.Date => DateOnly.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.None, out var day) ? day : null,
            FieldType.Time => TimeOnly.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.None, out var time) ? time : null,
            FieldType.Instant => DateTimeOffset.TryParse(
                text,
                CultureInfo.InvariantCulture,
                DateTimeStyles.AssumeUniversal,
                out var instant
            )
                ? instant.ToUniversalTime()
                : null,
            FieldType.LocalDateTime => DateTime.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.None, out var local)
                ? DateTime.SpecifyKind(local, DateTimeKind.Unspecified)
                : null,
            FieldType.Uuid => Guid.TryParse(text, out var id) ? id : null,
            _ => null,
        };
        return value ?? new Unreadable($"no {field.Type.Word}");
    }

    // 120.00 and 120 are the same number, and are shown alike.
    private static decimal WithoutNoughts(decimal number) => number / 1.0000000000000000000000000000m;

    /// <summary>A value as JSON.</summary>
    public static JsonNode? Json(object? value, bool asText = false) =>
        value switch
        {
            null or Unreadable => null,
            bool yes when !asText => JsonValue.Create(yes),
            long number when !asText => JsonValue.Create(number),
            decimal number when !asText => JsonValue.Create(number),
            _ => JsonValue.Create(Text(value)),
        };

    /// <summary>A value as a text in an address, a header or a form; the empty text for a blank.</summary>
    public static string Text(object? value) =>
        value switch
        {
            null or Unreadable => "",
            bool yes => yes ? "true" : "false",
            DateOnly day => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            TimeOnly time => time.ToString("HH:mm:ss", CultureInfo.InvariantCulture),
            DateTimeOffset instant => instant.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.FFFFFF", CultureInfo.InvariantCulture) + "Z",
            DateTime local => local.ToString("yyyy-MM-dd'T'HH:mm:ss.FFFFFF", CultureInfo.InvariantCulture),
            Guid id => id.ToString("D"),
            _ => Convert.ToString(value, CultureInfo.InvariantCulture) ?? "",
        };
}
