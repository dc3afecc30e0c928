using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>What a field's values are. Each case says which .NET type carries a value; blank is <see langword="null"/> in all.</summary>
/// <remarks>A value that a source holds and the case cannot (a number past 28 digits, an infinite date) is read as <see cref="Unreadable"/>.</remarks>
public abstract record FieldType
{
    private FieldType() { }

    /// <summary>Text, carried as <see cref="string"/>.</summary>
    /// <param name="MaxLength">In Unicode code points; no limit where null.</param>
    /// <param name="Long">Written in several lines.</param>
    public sealed record Text(int? MaxLength = null, bool Long = false) : FieldType;

    /// <summary>A whole number between two bounds, carried as <see cref="long"/>.</summary>
    public sealed record Integer(long Minimum = long.MinValue, long Maximum = long.MaxValue) : FieldType;

    /// <summary>A decimal number, carried as <see cref="decimal"/>.</summary>
    /// <param name="Precision">All digits; no limit but .NET's 28 where null.</param>
    /// <param name="Scale">Digits after the point.</param>
    public sealed record Number(int? Precision = null, int? Scale = null) : FieldType;

    /// <summary>A binary floating-point number, carried as the <see cref="decimal"/> of its shortest notation.</summary>
    public sealed record Floating : FieldType;

    /// <summary>Yes or no, carried as <see cref="bool"/>.</summary>
    public sealed record YesNo : FieldType;

    /// <summary>A day, carried as <see cref="DateOnly"/>.</summary>
    public sealed record Date : FieldType;

    /// <summary>A time of day, carried as <see cref="TimeOnly"/>.</summary>
    public sealed record Time : FieldType;

    /// <summary>An instant, carried as <see cref="DateTimeOffset"/> in UTC.</summary>
    public sealed record Instant : FieldType;

    /// <summary>A date and a time that name no zone, carried as <see cref="DateTime"/> of unspecified kind.</summary>
    public sealed record LocalDateTime : FieldType;

    /// <summary>One of a fixed list, carried as <see cref="string"/>.</summary>
    public sealed record Choice(ImmutableArray<string> Options) : FieldType;

    /// <summary>A UUID, carried as <see cref="Guid"/>.</summary>
    public sealed record Uuid : FieldType;

    /// <summary>A picture's bytes (<see cref="byte"/> array).</summary>
    public sealed record Image : FieldType;

    /// <summary>Bytes that Rostrum does not look into (<see cref="byte"/> array).</summary>
    public sealed record Bytes : FieldType;

    /// <summary>A type of the source's own (JSON, lists, ranges), carried and shown as the source's text for it.</summary>
    public sealed record Native : FieldType;

    /// <summary>Shown flush right, with figures in columns.</summary>
    public bool IsNumeric => this is Integer or Number or Floating;

    /// <summary>A date, a time or both.</summary>
    public bool IsTemporal => this is Date or Time or Instant or LocalDateTime;

    /// <summary>Can be looked into by a text search.</summary>
    public bool IsTextual => this is Text or Choice;

    /// <summary>Has an order that people expect.</summary>
    public bool IsSortable => this is not (Image or Bytes or Native);

    /// <summary>Can be typed into a form.</summary>
    public bool IsEditable => this is not (Image or Bytes or Native);
}

/// <summary>Stands where a source holds a value that its field's type cannot carry.</summary>
/// <param name="Reason">For the reader of the cell.</param>
public sealed record Unreadable(string Reason);
