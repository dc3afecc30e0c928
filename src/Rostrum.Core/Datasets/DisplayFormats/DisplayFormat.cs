using System.Collections.Immutable;

namespace Rostrum.Core.Datasets;

/// <summary>How a field's values are shown, where that differs from the usual way of their type. Each format is one class here.</summary>
public abstract partial record DisplayFormat
{
    private DisplayFormat() { }

    /// <summary>Each format, with its usual settings, in the order in which a builder chooses.</summary>
    public static ImmutableArray<DisplayFormat> Known { get; } =
    [
        new Money("EUR"),
        new Percent(0, OfHundred: false),
        new Rounded(0),
        new DayOnly(),
        new Relative(),
        new Options([]),
        new YesNoWords("Yes", "No"),
        new WebAddress(),
        new EmailAddress(),
        new PhoneNumber(),
        new Markdown(),
        new RichText(),
        new Picture(),
        new Swatch(),
    ];

    /// <summary>What it is called where a builder chooses.</summary>
    public abstract string Word { get; }

    /// <summary>The name under which it stands in documents and forms.</summary>
    public string Name => KindJson.NameOf(GetType());

    /// <summary>Whether values of a type can be shown so.</summary>
    public abstract bool Fits(FieldType type);

    /// <summary>The same format with what a builder typed.</summary>
    public virtual DisplayFormat With(FormatSettings settings) => this;

    /// <summary>What is wrong with what a builder typed; null where nothing is.</summary>
    public virtual string? Problem(FormatSettings settings) => null;

    /// <summary>What keeps a value from being shown so, for whoever typed it; null where nothing does.</summary>
    /// <param name="value">A value of the field, not blank.</param>
    internal virtual string? Misfit(object value) => null;

    /// <summary>A value as people read it; null where it is shown in the usual way of its type.</summary>
    /// <param name="value">A value of the field, neither blank nor unreadable.</param>
    /// <param name="format">How the workspace writes numbers and dates.</param>
    internal virtual string? Display(object value, RecordFormat format) => null;
}

/// <summary>What a builder may type for any format; each takes what it needs.</summary>
/// <param name="Currency">A code by ISO 4217.</param>
/// <param name="Digits">Digits after the point; null where what was typed is no number from 0 to 10.</param>
/// <param name="OfHundred">25 is 25 %; otherwise 0.25 is.</param>
/// <param name="Yes">The word for yes.</param>
/// <param name="No">The word for no.</param>
/// <param name="Looks">What people read for options, and in which colour.</param>
public sealed record FormatSettings(string Currency, int? Digits, bool OfHundred, string Yes, string No, ImmutableArray<OptionLook> Looks);
