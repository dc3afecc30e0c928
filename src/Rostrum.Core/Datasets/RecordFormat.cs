using System.Globalization;

namespace Rostrum.Core.Datasets;

/// <summary>How the workspace writes numbers and dates.</summary>
/// <param name="Culture">The workspace's language and country.</param>
/// <param name="Zone">The workspace's time zone.</param>
public sealed record RecordFormat(CultureInfo Culture, TimeZoneInfo Zone)
{
    /// <summary>The way of a language and country, with its months cut to one width where they stay distinct: dates then stand in one width as well.</summary>
    public static RecordFormat For(CultureInfo culture, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(culture);
        var own = (CultureInfo)culture.Clone();
        var months = own.DateTimeFormat.AbbreviatedMonthNames.Select(month => month.Length > 3 ? month[..3] : month).ToArray();
        if (months.Distinct(StringComparer.Ordinal).Count() == own.DateTimeFormat.AbbreviatedMonthNames.Distinct(StringComparer.Ordinal).Count())
        {
            own.DateTimeFormat.AbbreviatedMonthNames = months;
            own.DateTimeFormat.AbbreviatedMonthGenitiveNames = months;
        }

        return new RecordFormat(own, zone);
    }

    /// <summary>A value as people read it; the empty text for a blank.</summary>
    public string Display(FieldType type, object? value) => (type, value) switch
    {
        (_, null) => "",
        (_, Unreadable unreadable) => unreadable.Reason,
        (_, string text) => text,
        (_, bool yes) => yes ? "Yes" : "No",
        (_, long number) => number.ToString("#,##0", Culture),
        (FieldType.Number { Scale: { } scale }, decimal number) => number.ToString($"N{scale}", Culture),
        (_, decimal number) => number.ToString("#,##0.############################", Culture),
        (_, DateOnly date) => date.ToString("dd MMM yyyy", Culture),
        (_, TimeOnly time) => time.ToString(time.Second == 0 ? "HH:mm" : "HH:mm:ss", Culture),
        (_, DateTimeOffset instant) => TimeZoneInfo.ConvertTime(instant, Zone).ToString("dd MMM yyyy HH:mm", Culture),
        (_, DateTime local) => local.ToString("dd MMM yyyy HH:mm", Culture),
        (_, Guid id) => id.ToString("D"),
        (_, byte[] bytes) => string.Create(Culture, $"{bytes.Length:#,##0} bytes"),
        _ => throw new ArgumentOutOfRangeException(nameof(value), value.GetType().Name, "no display for it"),
    };

    /// <summary>A record's title out of the displayed values of its parts; the words for a title that is blank.</summary>
    public static string Title(IEnumerable<string> parts, string blank)
    {
        var title = string.Join(" · ", parts.Where(part => part.Length > 0));
        return title.Length > 0 ? title : blank;
    }
}
