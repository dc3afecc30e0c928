using System.Globalization;

namespace Rostrum.Core.Datasets;

/// <summary>How the workspace writes numbers and dates.</summary>
/// <param name="Culture">The workspace's language and country.</param>
/// <param name="Zone">The workspace's time zone.</param>
public sealed record RecordFormat(CultureInfo Culture, TimeZoneInfo Zone)
{
    /// <summary>The currency in which amounts are, unless a field says another: its code by ISO 4217.</summary>
    public string Currency { get; init; } = "EUR";

    /// <summary>Says what is now, for values that are shown by their distance from it.</summary>
    public TimeProvider Clock { get; init; } = TimeProvider.System;

    /// <summary>The time zone of a name of the IANA's; the workspace's where there is none of that name.</summary>
    public TimeZoneInfo ZoneOf(string? name) =>
        name is not null && TimeZoneInfo.TryFindSystemTimeZoneById(name, out var zone) ? zone : Zone;

    /// <summary>What the clocks of the workspace show.</summary>
    public DateTime Now => Here(Clock.GetUtcNow());

    /// <summary>
    /// The way of a language and country, with its months cut to one width where they stay distinct: dates then stand in one width as well.
    /// </summary>
    public static RecordFormat For(CultureInfo culture, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(culture);
        var own = (CultureInfo)culture.Clone();
        var months = own.DateTimeFormat.AbbreviatedMonthNames.Select(month => month.Length > 3 ? month[..3] : month).ToArray();
        if (
            months.Distinct(StringComparer.Ordinal).Count()
            == own.DateTimeFormat.AbbreviatedMonthNames.Distinct(StringComparer.Ordinal).Count()
        )
        {
            own.DateTimeFormat.AbbreviatedMonthNames = months;
            own.DateTimeFormat.AbbreviatedMonthGenitiveNames = months;
        }

        return new RecordFormat(own, zone);
    }

    /// <summary>A field's value as people read it, in the field's own format; the empty text for a blank.</summary>
    public string Display(Field field, object? value)
    {
        ArgumentNullException.ThrowIfNull(field);
        return value switch
        {
            string text when field.Type is FieldType.Native => NativeWords.Of(field.NativeType, text),
            null or Unreadable => Display(field.Type, value),
            _ => field.Format?.Display(value, this) ?? Display(field.Type, value),
        };
    }

    /// <summary>A value as people read it, in the usual way of its type; the empty text for a blank.</summary>
    public string Display(FieldType type, object? value)
    {
        ArgumentNullException.ThrowIfNull(type);
        return value switch
        {
            null => "",
            Unreadable unreadable => unreadable.Reason,
            _ => type.Display(value, this),
        };
    }

    /// <summary>What people read of records without a value in a field: "No vessel".</summary>
    public string Without(Field field)
    {
        ArgumentNullException.ThrowIfNull(field);
        return $"No {field.Label.ToLower(Culture)}";
    }

    /// <summary>A number at a mark of an axis: with as many digits as the marks need to differ.</summary>
    /// <param name="format">The format of the field whose values are on the axis.</param>
    /// <param name="value">The number.</param>
    /// <param name="step">The distance of two marks, more than 0.</param>
    public string Mark(DisplayFormat? format, decimal value, decimal step)
    {
        static int Digits(decimal step) => step >= 1 ? 0 : (int)Math.Min(10, Math.Ceiling(-Math.Log10((double)step)));
        return format switch
        {
            DisplayFormat.Money money => money.Display(value, this, Digits(step)),
            DisplayFormat.Percent percent => new DisplayFormat.Percent(
                Digits(percent.OfHundred ? step : step * 100),
                percent.OfHundred
            ).Display(value, this)!,
            _ => value.ToString($"N{Digits(step)}", Culture),
        };
    }

    /// <summary>What the clocks of the workspace show at a moment.</summary>
    internal DateTime Here(object moment) =>
        moment is DateTimeOffset instant ? TimeZoneInfo.ConvertTime(instant, Zone).DateTime : (DateTime)moment;

    /// <summary>A record's title out of the displayed values of its parts; the words for a title that is blank.</summary>
    public static string Title(IEnumerable<string> parts, string blank)
    {
        var title = string.Join(" · ", parts.Where(part => part.Length > 0));
        return title.Length > 0 ? title : blank;
    }
}
