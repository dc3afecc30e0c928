using System.Globalization;

namespace Rostrum.Core.Datasets;

/// <summary>What became of a text that should be a value.</summary>
public abstract record Parsed
{
    private Parsed() { }

    /// <summary>It is this value (null for a blank).</summary>
    public sealed record Value(object? Is) : Parsed;

    /// <summary>It is none, for this reason.</summary>
    public sealed record Problem(string Message) : Parsed;
}

/// <summary>Values as text and back: exactly (canonical), and as people type them into a form.</summary>
public static class FieldText
{
    private static readonly CultureInfo Invariant = CultureInfo.InvariantCulture;
    private static readonly string[] InputDateTimes = ["yyyy-MM-dd'T'HH:mm", "yyyy-MM-dd'T'HH:mm:ss", "yyyy-MM-dd'T'HH:mm:ss.FFFFFFF", "yyyy-MM-dd HH:mm", "yyyy-MM-dd HH:mm:ss"];
    private static readonly string[] InputTimes = ["HH:mm", "HH:mm:ss", "HH:mm:ss.FFFFFFF"];

    /// <summary>The exact text of a value that is not blank; <see cref="FromCanonical"/> gives the same value back.</summary>
    public static string ToCanonical(FieldType type, object value) => value switch
    {
        string text => text,
        bool yes => yes ? "true" : "false",
        long number => number.ToString(Invariant),
        decimal number => number.ToString(Invariant),
        DateOnly date => date.ToString("yyyy-MM-dd", Invariant),
        TimeOnly time => time.ToString("HH:mm:ss.fffffff", Invariant),
        DateTimeOffset instant => instant.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss.fffffff'Z'", Invariant),
        DateTime local => local.ToString("yyyy-MM-dd'T'HH:mm:ss.fffffff", Invariant),
        Guid id => id.ToString("D"),
        byte[] bytes => Convert.ToBase64String(bytes),
        _ => throw new ArgumentOutOfRangeException(nameof(value), value?.GetType().Name, $"a {type} cannot carry it"),
    };

    /// <summary>Reads what <see cref="ToCanonical"/> wrote.</summary>
    public static Parsed FromCanonical(FieldType type, string text) => type switch
    {
        FieldType.Text or FieldType.Choice or FieldType.Native => new Parsed.Value(text),
        FieldType.YesNo => bool.TryParse(text, out var yes) ? new Parsed.Value(yes) : NotA("yes or no"),
        FieldType.Integer => long.TryParse(text, NumberStyles.AllowLeadingSign, Invariant, out var number) ? new Parsed.Value(number) : NotA("whole number"),
        FieldType.Number or FieldType.Floating => decimal.TryParse(text, NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint, Invariant, out var number) ? new Parsed.Value(number) : NotA("number"),
        FieldType.Date => DateOnly.TryParseExact(text, "yyyy-MM-dd", Invariant, DateTimeStyles.None, out var date) ? new Parsed.Value(date) : NotA("date"),
        FieldType.Time => TimeOnly.TryParseExact(text, "HH:mm:ss.fffffff", Invariant, DateTimeStyles.None, out var time) ? new Parsed.Value(time) : NotA("time"),
        FieldType.Instant => DateTimeOffset.TryParseExact(text, "yyyy-MM-dd'T'HH:mm:ss.fffffff'Z'", Invariant, DateTimeStyles.AssumeUniversal, out var instant) ? new Parsed.Value(instant) : NotA("date and time"),
        FieldType.LocalDateTime => DateTime.TryParseExact(text, "yyyy-MM-dd'T'HH:mm:ss.fffffff", Invariant, DateTimeStyles.None, out var local) ? new Parsed.Value(local) : NotA("date and time"),
        FieldType.Uuid => Guid.TryParse(text, out var id) ? new Parsed.Value(id) : NotA("UUID"),
        FieldType.Image or FieldType.Bytes => FromBase64(text),
        _ => throw new ArgumentOutOfRangeException(nameof(type), type, "unknown field type"),
    };

    /// <summary>A value as it stands in a form's input; the empty text for a blank. Of a time the thousandths: inputs of browsers are blank where there are finer parts.</summary>
    /// <param name="type">The field's type.</param>
    /// <param name="value">A value of it, or null.</param>
    /// <param name="zone">The zone in which instants are typed.</param>
    public static string ToInput(FieldType type, object? value, TimeZoneInfo zone) => value switch
    {
        null or Unreadable => "",
        DateTimeOffset instant => TimeOfInput(TimeZoneInfo.ConvertTime(instant, zone).DateTime),
        DateTime local => TimeOfInput(local),
        TimeOnly time => time.ToString(time.Ticks % TimeSpan.TicksPerMinute == 0 ? "HH:mm" : "HH:mm:ss.FFF", Invariant),
        _ => ToCanonical(type, value),
    };

    /// <summary>What a person typed, as a value. The empty text is a blank.</summary>
    public static Parsed FromInput(FieldType type, string text, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(type);
        ArgumentNullException.ThrowIfNull(text);
        if (type is FieldType.Text)
        {
            return text.Contains('\0', StringComparison.Ordinal)
                ? new Parsed.Problem("This text has a character in it that cannot be kept.")
                : new Parsed.Value(text.Length == 0 ? null : text.ReplaceLineEndings("\n"));
        }

        text = text.Trim();
        if (text.Length == 0)
        {
            return new Parsed.Value(null);
        }

        return type switch
        {
            FieldType.YesNo => text switch
            {
                "true" or "yes" or "Yes" or "on" => new Parsed.Value(true),
                "false" or "no" or "No" => new Parsed.Value(false),
                _ => NotA("yes or no"),
            },
            FieldType.Integer or FieldType.Number or FieldType.Floating => FromCanonical(type, text.Replace(" ", "", StringComparison.Ordinal)) switch
            {
                Parsed.Problem when decimal.TryParse(text, NumberStyles.Number, Invariant, out _) && type is FieldType.Integer => NotA("whole number"),
                Parsed.Problem => new Parsed.Problem($"“{Shorten(text)}” is not a number. Write digits, with a point for decimals."),
                var parsed => parsed,
            },
            FieldType.Date => FromCanonical(type, text) is Parsed.Value date ? date : new Parsed.Problem($"“{Shorten(text)}” is not a date. Write it as 2026-03-31."),
            FieldType.Time => TimeOnly.TryParseExact(text, InputTimes, Invariant, DateTimeStyles.None, out var time) ? new Parsed.Value(time) : new Parsed.Problem($"“{Shorten(text)}” is not a time. Write it as 14:30."),
            FieldType.Instant or FieldType.LocalDateTime => FromInputDateTime(type, text, zone),
            _ => FromCanonical(type, text),
        };
    }

    /// <summary>Whether two values of one field are the same; bytes are compared by content.</summary>
    public static bool SameValue(object? one, object? other) =>
        one is byte[] bytes && other is byte[] others ? bytes.AsSpan().SequenceEqual(others) : Equals(one, other);

    private static Parsed FromInputDateTime(FieldType type, string text, TimeZoneInfo zone)
    {
        if (!DateTime.TryParseExact(text, InputDateTimes, Invariant, DateTimeStyles.None, out var local))
        {
            return new Parsed.Problem($"“{Shorten(text)}” is not a date and time. Write it as 2026-03-31T14:30.");
        }

        if (type is FieldType.LocalDateTime)
        {
            return new Parsed.Value(local);
        }

        if (zone.IsInvalidTime(local))
        {
            return new Parsed.Problem("The clocks are put forward then: that time does not exist.");
        }

        var offset = zone.GetUtcOffset(local);
        return local.Ticks < offset.Ticks || local.Ticks - offset.Ticks > DateTime.MaxValue.Ticks
            ? new Parsed.Problem("That is too far away.")
            : new Parsed.Value(new DateTimeOffset(local, offset).ToUniversalTime());
    }

    private static string TimeOfInput(DateTime local) =>
        local.ToString(local.Ticks % TimeSpan.TicksPerMinute == 0 ? "yyyy-MM-dd'T'HH:mm" : "yyyy-MM-dd'T'HH:mm:ss.FFF", Invariant);

    private static Parsed FromBase64(string text)
    {
        var bytes = new byte[text.Length];
        return Convert.TryFromBase64String(text, bytes, out var length) ? new Parsed.Value(bytes[..length]) : NotA("base64 text");
    }

    private static Parsed.Problem NotA(string what) => new($"This is not a {what}.");

    private static string Shorten(string text) => text.Length <= 40 ? text : text[..40] + "…";
}
