using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>How a field's values are shown, where that differs from the usual way of their type.</summary>
public abstract record DisplayFormat
{
    private DisplayFormat() { }

    /// <summary>An amount of money.</summary>
    /// <param name="Currency">Its code by ISO 4217.</param>
    public sealed record Money(string Currency) : DisplayFormat;

    /// <summary>A share.</summary>
    /// <param name="Decimals">Digits after the point.</param>
    /// <param name="OfHundred">25 is 25 %; otherwise 0.25 is.</param>
    public sealed record Percent(int Decimals, bool OfHundred) : DisplayFormat;

    /// <summary>A number with so many digits after the point.</summary>
    public sealed record Rounded(int Digits) : DisplayFormat;

    /// <summary>Of a moment its day alone.</summary>
    public sealed record DayOnly : DisplayFormat;

    /// <summary>A day or a moment by its distance from now: "3 days ago".</summary>
    public sealed record Relative : DisplayFormat;

    /// <summary>What people read for options, and in which colour.</summary>
    public sealed record Options(ImmutableArray<OptionLook> Looks) : DisplayFormat;

    /// <summary>The words for yes and no.</summary>
    public sealed record YesNoWords(string Yes, string No) : DisplayFormat;

    /// <summary>An address that opens in another tab.</summary>
    public sealed record WebAddress : DisplayFormat;

    /// <summary>An address that one writes to.</summary>
    public sealed record EmailAddress : DisplayFormat;

    /// <summary>A number that one calls.</summary>
    public sealed record PhoneNumber : DisplayFormat;

    /// <summary>A text with headings, lists and links in it, written as CommonMark.</summary>
    public sealed record Markdown : DisplayFormat;

    /// <summary>Bytes that are a picture, or the address of one.</summary>
    public sealed record Picture : DisplayFormat;

    /// <summary>Whether values of a type can be shown so.</summary>
    public bool Fits(FieldType type) => this switch
    {
        Money or Percent or Rounded => type.IsNumeric,
        DayOnly => type is FieldType.Moment,
        Relative => type.HasDay,
        Options => type is FieldType.Choice,
        YesNoWords => type is FieldType.YesNo,
        WebAddress or EmailAddress or PhoneNumber or Markdown => type is FieldType.Text,
        Picture => type is FieldType.Bytes or FieldType.Text,
        _ => false,
    };
}

/// <summary>How one option of a choice is shown.</summary>
/// <param name="Option">The option, as it is kept.</param>
/// <param name="Label">What people read; the option itself where null.</param>
/// <param name="Colour">One of the eight colours for categories, from 1; none where null.</param>
public sealed record OptionLook(string Option, string? Label, int? Colour);
