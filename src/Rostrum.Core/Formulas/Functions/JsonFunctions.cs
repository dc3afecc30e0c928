using System.Globalization;
using System.Text.Json;

namespace Rostrum.Core.Formulas.Functions;

/// <summary>Functions of JSON values.</summary>
internal static class JsonFunctions
{
    [Function("The JSON value that a text writes; blank where it writes none.", Examples = ["ISBLANK(JSON(\"{\")) → TRUE"])]
    public static JsonElement? Json(string text)
    {
        try
        {
            using var document = JsonDocument.Parse(text, new JsonDocumentOptions { MaxDepth = 64 });
            return document.RootElement.Clone();
        }
        catch (JsonException)
        {
            return null;
        }
    }

    [Function(
        "The text of what stands at a pointer (RFC 6901) in a JSON value; blank where nothing does.",
        Examples = ["AT(JSON(\"{\"\"a\"\":[1,2]}\"), \"/a/1\") → \"2\"", "AT(JSON(\"{}\"), \"/a\") → BLANK"]
    )]
    public static string? At(JsonElement json, string pointer)
    {
        if (pointer.Length > 0 && pointer[0] != '/')
        {
            return null;
        }

        foreach (
            var part in pointer
                .Split('/')
                .Skip(1)
                .Select(part => part.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal))
        )
        {
            if (json.ValueKind is JsonValueKind.Object && json.TryGetProperty(part, out var member))
            {
                json = member;
            }
            else if (
                json.ValueKind is JsonValueKind.Array
                && (part is "0" || (part.Length > 0 && part[0] != '0'))
                && int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var index)
                && index < json.GetArrayLength()
            )
            {
                json = json[index];
            }
            else
            {
                return null;
            }
        }

        return json.ValueKind switch
        {
            JsonValueKind.Null or JsonValueKind.Undefined => null,
            JsonValueKind.String => json.GetString(),
            _ => json.GetRawText(),
        };
    }
}
