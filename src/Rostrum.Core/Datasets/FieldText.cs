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
    /// <summary>The exact text of a value that is not blank; <see cref="FromCanonical"/> gives the same value back.</summary>
    public static string ToCanonical(FieldType type, object value)
    {
        ArgumentNullException.ThrowIfNull(type);
        return type.ToCanonical(value);
    }

    /// <summary>Reads what <see cref="ToCanonical"/> wrote.</summary>
    public static Parsed FromCanonical(FieldType type, string text)
    {
        ArgumentNullException.ThrowIfNull(type);
        return type.FromCanonical(text);
    }

    /// <summary>
    /// A value as it stands in a form's input; the empty text for a blank. Of a time the thousandths: inputs of browsers are blank where
    /// there are finer parts.
    /// </summary>
    /// <param name="type">The field's type.</param>
    /// <param name="value">A value of it, or null.</param>
    /// <param name="zone">The zone in which instants are typed.</param>
    public static string ToInput(FieldType type, object? value, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(type);
        return value is null or Unreadable ? "" : type.ToInput(value, zone);
    }

    /// <summary>What a person typed, as a value. The empty text is a blank.</summary>
    public static Parsed FromInput(FieldType type, string text, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(type);
        ArgumentNullException.ThrowIfNull(text);
        return type.FromInput(text, zone);
    }

    /// <summary>
    /// A value as it stands in an input for people: days and times as they are shown, in full. <see cref="FromForm"/> gives it back.
    /// </summary>
    public static string InForm(FieldType type, object? value, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(type);
        return value is null or Unreadable ? "" : type.InForm(value, format);
    }

    /// <summary>What a person typed into a form, in the way of the workspace, as a value. The empty text is a blank.</summary>
    public static Parsed FromForm(FieldType type, string text, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(type);
        ArgumentNullException.ThrowIfNull(text);
        return type.FromForm(text, format);
    }

    /// <summary>A text as it stands among others in the input of a list.</summary>
    public static string InList(string text) => ListValue.Join([text]);

    /// <summary>Whether two values of one field are the same; bytes are compared by content.</summary>
    public static bool SameValue(object? one, object? other) =>
        one is byte[] bytes && other is byte[] others ? bytes.AsSpan().SequenceEqual(others) : Equals(one, other);
}
