using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;

namespace Rostrum.Core.Apis;

/// <summary>Ways into a JSON document, after RFC 6901: <c>/result/items/0</c>; the empty text is the whole.</summary>
public static class JsonPointer
{
    /// <summary>What stands at a pointer; null where nothing does.</summary>
    public static JsonElement? At(JsonElement document, string pointer)
    {
        ArgumentNullException.ThrowIfNull(pointer);
        var here = document;
        var steps = pointer.AsSpan().TrimStart('/');
        if (pointer.Length == 0)
        {
            return here;
        }

        foreach (var range in steps.Split('/'))
        {
            var part = steps[range];
            part = part.Contains('~') ? Unescaped(part.ToString()) : part;
            if (here.ValueKind is JsonValueKind.Object && here.TryGetProperty(part, out var member))
            {
                here = member;
            }
            else if (
                here.ValueKind is JsonValueKind.Array
                && int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var index)
                && index < here.GetArrayLength()
            )
            {
                here = here[index];
            }
            else
            {
                return null;
            }
        }

        return here;
    }

    /// <summary>A pointer one step further.</summary>
    public static string Into(string pointer, string part)
    {
        ArgumentNullException.ThrowIfNull(part);
        return $"{pointer}/{part.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal)}";
    }

    /// <summary>The steps of a pointer.</summary>
    public static ImmutableArray<string> Parts(string pointer)
    {
        ArgumentNullException.ThrowIfNull(pointer);
        return pointer.Length == 0 ? [] : [.. pointer.TrimStart('/').Split('/').Select(Unescaped)];
    }

    private static string Unescaped(string part) =>
        part.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal);
}
