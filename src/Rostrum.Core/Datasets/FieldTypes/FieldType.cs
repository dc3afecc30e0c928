using System.Globalization;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Datasets;

/// <summary>What a field's values are. Each case says which .NET type carries a value; blank is <see langword="null"/> in all.</summary>
/// <remarks>
/// A case has a file of its own in this folder, with all that there is to know of it: how values are written and read as text, shown, typed
/// and checked, and what
/// formulas make of them. A value that a source holds and the case cannot (a number past 28 digits, an infinite date) is read as
/// <see cref="Unreadable"/>.
/// </remarks>
public abstract partial record FieldType
{
    private protected static readonly CultureInfo Invariant = CultureInfo.InvariantCulture;

    private FieldType() { }

    /// <summary>What people call it: <c>whole number</c>.</summary>
    public abstract string Word { get; }

    /// <summary>Shown flush right, with figures in columns.</summary>
    public virtual bool IsNumeric => false;

    /// <summary>A date, a time or both.</summary>
    public virtual bool IsTemporal => false;

    /// <summary>It says on which day: a date, or a date and a time.</summary>
    public virtual bool HasDay => false;

    /// <summary>Can be looked into by a text search.</summary>
    public virtual bool IsTextual => false;

    /// <summary>Shown in a paragraph of its own.</summary>
    public virtual bool IsLong => false;

    /// <summary>Has an order that people expect.</summary>
    public virtual bool IsSortable => true;

    /// <summary>Lists can be narrowed by its values.</summary>
    public virtual bool IsFilterable => IsSortable;

    /// <summary>Can be typed into a form.</summary>
    public virtual bool IsEditable => true;

    /// <summary>Can be typed as one text: into a cell, a file of rows, a bulk change.</summary>
    public virtual bool IsTyped => IsEditable;

    /// <summary>What formulas know its values as; null where they know nothing of them.</summary>
    public virtual FormulaType? InFormulas => null;

    /// <summary>What formulas know a field's values as; null where they know nothing of them.</summary>
    public virtual FormulaType? InFormulasOf(Field field) => InFormulas;

    /// <summary>The exact text of a value; <see cref="FromCanonical"/> gives the same value back.</summary>
    internal abstract string ToCanonical(object value);

    /// <summary>Reads what <see cref="ToCanonical"/> wrote.</summary>
    internal abstract Parsed FromCanonical(string text);

    /// <summary>A value as it stands in a form's input.</summary>
    internal virtual string ToInput(object value, TimeZoneInfo zone) => ToCanonical(value);

    /// <summary>What a person typed, as a value. The empty text is a blank.</summary>
    internal virtual Parsed FromInput(string text, TimeZoneInfo zone) =>
        text.Trim() is { Length: > 0 } typed ? FromTyped(typed, zone) : new Parsed.Value(null);

    /// <summary>A value as it stands in an input for people: as it is shown, and exact.</summary>
    internal virtual string InForm(object value, RecordFormat format) => ToInput(value, format.Zone);

    /// <summary>What a person typed in the way of the workspace, as a value.</summary>
    internal virtual Parsed FromForm(string text, RecordFormat format) => FromInput(text, format.Zone);

    /// <summary>A text that is not blank, without blanks around it, as a value.</summary>
    private protected virtual Parsed FromTyped(string text, TimeZoneInfo zone) => FromCanonical(text);

    /// <summary>A value as people read it.</summary>
    internal abstract string Display(object value, RecordFormat format);

    /// <summary>Whether a formula of some type may give values for it.</summary>
    internal virtual bool CanHold(FormulaType of) => false;

    /// <summary>A formula's value as a value of it; null where it cannot be one.</summary>
    internal virtual Parsed? FromFormula(object value, TimeZoneInfo zone) => null;

    /// <summary>What keeps it from carrying a value, for whoever typed it; null where nothing does.</summary>
    internal virtual string? Problem(object value, CultureInfo culture) => null;

    private protected static Parsed.Problem NotA(string what) => new($"This is not a {what}.");

    private protected static Parsed.Problem NotOne(string text, string what) =>
        new($"“{(text.Length <= 40 ? text : text[..40] + "…")}” is not {what}");

    private protected ArgumentOutOfRangeException CannotCarry(object value) =>
        new(nameof(value), value?.GetType().Name, $"a {Word} cannot carry it");
}

/// <summary>Stands where a source holds a value that its field's type cannot carry.</summary>
/// <param name="Reason">For the reader of the cell.</param>
public sealed record Unreadable(string Reason);
