using System.Collections.Immutable;
using System.Text.Json;

namespace Rostrum.Core.Datasets;

/// <summary>A place in an ordered list: the values that the order looks at, of the record that stands there, in canonical text.</summary>
/// <remarks>It names values and not a number, so that records that come and go before it do not shift it.</remarks>
public sealed record PageCursor(ImmutableArray<string?> Values)
{
    /// <summary>The cursor as it stands in an address.</summary>
    public string ToText() =>
        Convert
            .ToBase64String(JsonSerializer.SerializeToUtf8Bytes(Values, KindJson.Options))
            .Replace('+', '-')
            .Replace('/', '_')
            .TrimEnd('=');

    /// <summary>Reads what <see cref="ToText"/> wrote; null for anything else.</summary>
    public static PageCursor? Parse(string? text)
    {
        if (string.IsNullOrEmpty(text))
        {
            return null;
        }

        var padded = text.Replace('-', '+').Replace('_', '/').PadRight((text.Length + 3) / 4 * 4, '=');
        var bytes = new byte[padded.Length];
        if (!Convert.TryFromBase64String(padded, bytes, out var length))
        {
            return null;
        }

        try
        {
            var values = JsonSerializer.Deserialize<string?[]>(bytes.AsSpan(0, length), KindJson.Options);
            return values is null ? null : new PageCursor([.. values]);
        }
        catch (JsonException)
        {
            return null;
        }
    }
}
