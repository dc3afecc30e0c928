using System.Globalization;

namespace Rostrum.Core.Datasets;

/// <summary>How the workspace writes numbers and dates.</summary>
/// <param name="Culture">The workspace's language and country.</param>
/// <param name="Zone">The workspace's time zone.</param>
public sealed record RecordFormat(CultureInfo Culture, TimeZoneInfo Zone)
{
    private static readonly Dictionary<string, string> Signs = new(StringComparer.Ordinal)
    {
        ["EUR"] = "€",
        ["GBP"] = "£",
        ["ILS"] = "₪",
        ["INR"] = "₹",
        ["JPY"] = "¥",
        ["KRW"] = "₩",
        ["PLN"] = "zł",
        ["UAH"] = "₴",
        ["USD"] = "$",
    };

    // Currencies of ISO 4217 whose unit is not divided.
    private static readonly HashSet<string> WithoutParts = new(StringComparer.Ordinal) { "CLP", "ISK", "JPY", "KRW", "PYG", "UGX", "VND" };

    private static readonly (double Days, string One, string Many)[] Units =
    [
        (365.25, "year", "years"),
        (30.44, "month", "months"),
        (7, "week", "weeks"),
        (1, "day", "days"),
        (1 / 24.0, "hour", "hours"),
        (1 / 1440.0, "minute", "minutes"),
    ];

    /// <summary>The currency in which amounts are, unless a field says another: its code by ISO 4217.</summary>
    public string Currency { get; init; } = "EUR";

    /// <summary>Says what is now, for values that are shown by their distance from it.</summary>
    public TimeProvider Clock { get; init; } = TimeProvider.System;

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
        if (months.Distinct(StringComparer.Ordinal).Count() == own.DateTimeFormat.AbbreviatedMonthNames
            .Distinct(StringComparer.Ordinal)
            .Count())
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
        return (field.Format, value) switch
        {
            (_, string text) when field.Type is FieldType.Native => NativeWords.Of(field.NativeType, text),
            (null, _) or (_, null or Unreadable) => Display(field.Type, value),
            (DisplayFormat.Options, string option) => field.LabelOf(option),
            (DisplayFormat.YesNoWords words, bool yes) => yes ? words.Yes : words.No,
            (DisplayFormat.Relative, DateOnly date) => Distance(date.DayNumber - DateOnly.FromDateTime(Here(Clock.GetUtcNow())).DayNumber),
            (DisplayFormat.Relative, DateTimeOffset or DateTime) =>
                Distance((Here(value) - Here(Clock.GetUtcNow())).TotalDays, toTheDay: false),
            (DisplayFormat.DayOnly, DateTimeOffset or DateTime) => Display(new FieldType.Date(), DateOnly.FromDateTime(Here(value))),
            (DisplayFormat format, long number) => Number(format, number) ?? Display(field.Type, value),
            (DisplayFormat format, decimal number) => Number(format, number) ?? Display(field.Type, value),
            _ => Display(field.Type, value),
        };
    }

    /// <summary>A value as people read it, in the usual way of its type; the empty text for a blank.</summary>
    public string Display(FieldType type, object? value)
    {
        ArgumentNullException.ThrowIfNull(type);
        return value switch { null => "", Unreadable unreadable => unreadable.Reason, _ => type.Display(value, this) };
    }

    private string? Number(DisplayFormat format, decimal number) => format switch
    {
        DisplayFormat.Money money => Money(money.Currency, number),
        DisplayFormat.Percent { OfHundred: true } percent => $"{number.ToString($"N{percent.Decimals}", Culture)}\u00a0%",
        DisplayFormat.Percent percent when Math.Abs(number) < 1e24m => $"{(number * 100).ToString($"N{percent.Decimals}", Culture)}\u00a0%",
        DisplayFormat.Rounded rounded => number.ToString($"N{rounded.Digits}", Culture),
        _ => null,
    };

    // Where the culture puts the sign: £1,250.00 or 1.250,00 €; the code where the currency has no sign that everybody knows.
    private string Money(string currency, decimal number)
    {
        var numbers = (NumberFormatInfo)Culture.NumberFormat.Clone();
        numbers.CurrencySymbol = Signs.GetValueOrDefault(currency) ?? currency + "\u00a0";
        numbers.CurrencyDecimalDigits = WithoutParts.Contains(currency) ? 0 : 2;
        return number.ToString("C", numbers).Replace("\u00a0 ", "\u00a0", StringComparison.Ordinal).TrimEnd('\u00a0');
    }

    private DateTime Here(object moment) =>
        moment is DateTimeOffset instant ? TimeZoneInfo.ConvertTime(instant, Zone).DateTime : (DateTime)moment;

    private static string Distance(double days, bool toTheDay = true)
    {
        if (toTheDay && Math.Abs(days) <= 1)
        {
            return days switch { 0 => "today", > 0 => "tomorrow", _ => "yesterday" };
        }

        var unit = Units.FirstOrDefault(unit => Math.Abs(days) >= unit.Days);
        if (unit.One is null)
        {
            return "now";
        }

        var number = Math.Floor(Math.Abs(days) / unit.Days);
        var words = string.Create(CultureInfo.InvariantCulture, $"{number} {(number == 1 ? unit.One : unit.Many)}");
        return days > 0 ? $"in {words}" : $"{words} ago";
    }

    /// <summary>A record's title out of the displayed values of its parts; the words for a title that is blank.</summary>
    public static string Title(IEnumerable<string> parts, string blank)
    {
        var title = string.Join(" · ", parts.Where(part => part.Length > 0));
        return title.Length > 0 ? title : blank;
    }
}
