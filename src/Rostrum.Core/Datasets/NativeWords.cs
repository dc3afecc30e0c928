using System.Text;
using System.Text.Json;

namespace Rostrum.Core.Datasets;

/// <summary>Values of types that Rostrum leaves alone, as people read them: arrays as a list, JSON as names and values.</summary>
public static class NativeWords
{
    /// <summary>The words; the text as it is where it is of no such form.</summary>
    /// <param name="nativeType">The column's type in the source's spelling.</param>
    /// <param name="text">The value as the source writes it.</param>
    public static string Of(string nativeType, string text)
    {
        ArgumentNullException.ThrowIfNull(nativeType);
        ArgumentNullException.ThrowIfNull(text);
        return nativeType.EndsWith("[]", StringComparison.Ordinal)
            ? Elements(text) is { } elements
                ? string.Join(", ", elements)
                : text
            : nativeType is "json" or "jsonb"
                ? Json(text)
                : text;
    }

    // {a,"b, c",NULL}: the array literal of PostgreSQL, of one dimension.
    private static List<string>? Elements(string text)
    {
        if (text.Length < 2 || text[0] != '{' || text[^1] != '}')
        {
            return null;
        }

        var (elements, element, quoted) = (new List<string>(), new StringBuilder(), false);
        for (var at = 1; at < text.Length - 1; at++)
        {
            var letter = text[at];
            if (letter == '\\' && quoted && at + 1 < text.Length - 1)
            {
                element.Append(text[++at]);
            }
            else if (letter == '"')
            {
                quoted = !quoted;
            }
            else if (!quoted && letter is '{' or '}')
            {
                return null;
            }
            else if (letter == ',' && !quoted)
            {
                elements.Add(element.ToString());
                element.Clear();
            }
            else
            {
                element.Append(letter);
            }
        }

        if (text.Length > 2)
        {
            elements.Add(element.ToString());
        }

        return elements;
    }

    private static string Json(string text)
    {
        try
        {
            using var document = JsonDocument.Parse(text);
            return Words(document.RootElement, isOuter: true);
        }
        catch (JsonException)
        {
            return text;
        }
    }

    private static string Words(JsonElement element, bool isOuter) =>
        element.ValueKind switch
        {
            JsonValueKind.Null => "–",
            JsonValueKind.True => "yes",
            JsonValueKind.False => "no",
            JsonValueKind.String => element.GetString()!,
            JsonValueKind.Array
                when element.EnumerateArray().All(one => one.ValueKind is not (JsonValueKind.Array or JsonValueKind.Object)) => string.Join(
                ", ",
                element.EnumerateArray().Select(one => Words(one, isOuter: false))
            ),
            JsonValueKind.Object when isOuter => string.Join(
                "; ",
                element.EnumerateObject().Select(one => $"{one.Name}: {Words(one.Value, isOuter: false)}")
            ),
            _ => element.GetRawText(),
        };
}
