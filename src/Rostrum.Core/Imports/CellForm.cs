using System.Globalization;
using System.Text.RegularExpressions;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Imports;

/// <summary>In which order the figures of a day stand.</summary>
public enum DateOrder
{
    /// <summary>31/3/2026.</summary>
    DayMonthYear,

    /// <summary>3/31/2026.</summary>
    MonthDayYear,

    /// <summary>2026-03-31.</summary>
    YearMonthDay,
}

/// <summary>How numbers and days are written in a file.</summary>
/// <param name="DecimalComma">A comma stands before decimals, and points between groups of digits.</param>
/// <param name="Order">The order of a day’s figures; ISO 8601 and names of months are known in any case.</param>
public sealed partial record CellForm(bool DecimalComma, DateOrder Order)
{
    [GeneratedRegex(@"^[\s\p{Sc}]*-?[\d.,'\s]*\d[\s\p{Sc}%]*$", RegexOptions.CultureInvariant, 1000)]
    private static partial Regex Figures { get; }

    [GeneratedRegex(
        @"^(?<one>\d{1,2})[./-](?<two>\d{1,2})[./-]\d{2,4}\b",
        RegexOptions.CultureInvariant | RegexOptions.ExplicitCapture,
        1000
    )]
    private static partial Regex Day { get; }

    /// <summary>How some cells seem to be written; what they do not tell is as the workspace has it.</summary>
    public static CellForm Of(IEnumerable<string> cells, CultureInfo culture)
    {
        ArgumentNullException.ThrowIfNull(cells);
        ArgumentNullException.ThrowIfNull(culture);
        var (commas, points) = (0, 0);
        var (dayFirst, monthFirst) = (0, 0);
        foreach (var cell in cells.Select(cell => cell.Trim()))
        {
            if (Day.Match(cell) is { Success: true } day)
            {
                var (one, two) = (Number(day.Groups["one"]), Number(day.Groups["two"]));
                dayFirst += one > 12 ? 1 : 0;
                monthFirst += two > 12 ? 1 : 0;
            }
            else if (Figures.IsMatch(cell))
            {
                var (comma, point) = (cell.LastIndexOf(','), cell.LastIndexOf('.'));
                commas += comma > point && (point >= 0 || IsDecimal(cell, comma)) ? 1 : 0;
                points += point > comma && (comma >= 0 || IsDecimal(cell, point)) ? 1 : 0;
            }
        }

        var own = culture.DateTimeFormat.ShortDatePattern;
        return new CellForm(
            commas == points ? culture.NumberFormat.NumberDecimalSeparator == "," : commas > points,
            dayFirst != monthFirst ? (dayFirst > monthFirst ? DateOrder.DayMonthYear : DateOrder.MonthDayYear)
                : own.StartsWith('y') ? DateOrder.YearMonthDay
                : own.IndexOf('d', StringComparison.Ordinal) < own.IndexOf('M', StringComparison.Ordinal) ? DateOrder.DayMonthYear
                : DateOrder.MonthDayYear
        );
    }

    /// <summary>What a cell holds, as a value of a field; a blank cell as a blank.</summary>
    /// <param name="field">The field.</param>
    /// <param name="text">The cell.</param>
    /// <param name="format">How the workspace writes values.</param>
    public Parsed Read(Field field, string text, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(field);
        ArgumentNullException.ThrowIfNull(text);
        ArgumentNullException.ThrowIfNull(format);

        text = SpreadsheetText.AsItWas(text);
        if (string.IsNullOrWhiteSpace(text))
        {
            return new Parsed.Value(null);
        }

        return field.Type switch
        {
            FieldType.Numeric numeric => ReadNumber(numeric, text),
            FieldType.YesNo => ReadYesNo(text.Trim()) is { } yes ? new Parsed.Value(yes) : NotRead(text, "yes or no"),
            FieldType.Choice choice => ReadChoice(field, choice, text.Trim()),
            FieldType.Date or FieldType.Moment => ReadMoment(field.Type, text.Trim(), format),
            FieldType.Text => new Parsed.Value(text),
            FieldType.List list when FieldText.FromCanonical(list, text) is Parsed.Value written => written,
            FieldType.List list => list.Read(text, one => Read(field with { Type = list.Element }, one, format)),
            _ => FieldText.FromForm(field.Type, text.Trim(), format),
        };
    }

    private Parsed ReadNumber(FieldType.Numeric type, string text)
    {
        if (!Figures.IsMatch(text))
        {
            return NotRead(text, "a number");
        }

        var digits = string.Concat(text.Where(letter => char.IsAsciiDigit(letter) || letter is '-' or '.' or ','));
        var (group, point) = DecimalComma ? ('.', ',') : (',', '.');
        var plain = digits.Replace(group.ToString(), "", StringComparison.Ordinal).Replace(point, '.');
        return AreGroups(digits, group, point) && FieldText.FromInput(type, plain, TimeZoneInfo.Utc) is Parsed.Value value
            ? value
            : NotRead(text, type is FieldType.Integer ? "a whole number" : "a number");
    }

    // “1.5” where points stand between groups is a mistake, and not fifteen.
    private static bool AreGroups(string digits, char group, char point)
    {
        var whole = digits.Split(point)[0].TrimStart('-').Split(group);
        return digits.Count(letter => letter == point) <= 1
            && digits.LastIndexOf(group) < (digits.Contains(point) ? digits.IndexOf(point) : digits.Length)
            && (whole.Length == 1 || (whole[0].Length is >= 1 and <= 3 && whole.Skip(1).All(part => part.Length == 3)));
    }

    private static Parsed ReadChoice(Field field, FieldType.Choice choice, string text) =>
        choice.Options.FirstOrDefault(option =>
            option.Equals(text, StringComparison.OrdinalIgnoreCase)
            || field.LabelOf(option).Equals(text, StringComparison.OrdinalIgnoreCase)
        )
            is { } known
            ? new Parsed.Value(known)
            : NotRead(
                text,
                $"one of {string.Join(", ", choice.Options.Take(8).Select(field.LabelOf))}{(choice.Options.Length > 8 ? ", …" : "")}"
            );

    private static bool? ReadYesNo(string text) =>
        text.ToLowerInvariant() switch
        {
            "yes" or "true" or "y" or "1" or "x" => true,
            "no" or "false" or "n" or "0" => false,
            _ => null,
        };

    private Parsed ReadMoment(FieldType type, string text, RecordFormat format)
    {
        if (
            type is FieldType.Instant
            && text.Length > 16
            && DateTimeOffset.TryParseExact(text, "O", CultureInfo.InvariantCulture, DateTimeStyles.None, out var instant)
        )
        {
            return new Parsed.Value(instant.ToUniversalTime());
        }

        // A day of which the time is none, as programs write it.
        if (type is FieldType.Date && text.EndsWith(" 00:00:00", StringComparison.Ordinal))
        {
            text = text[..^9];
        }

        // What depends on today is no day of a file.
        var culture = CultureInfo.GetCultureInfo(
            Order switch
            {
                DateOrder.DayMonthYear => "en-GB",
                DateOrder.MonthDayYear => "en-US",
                _ => "sv-SE",
            }
        );
        var read = FieldText.FromForm(type, text, format with { Culture = culture });
        var later = format with { Culture = culture, Clock = new LaterClock(format.Clock) };
        return
            read is Parsed.Value { Is: { } value }
            && FieldText.FromForm(type, text, later) is Parsed.Value { Is: { } same }
            && value.Equals(same)
            ? read
            : NotRead(text, type is FieldType.Date ? "a day" : "a day and time");
    }

    private static bool IsDecimal(string text, int at) => at >= 0 && text.Skip(at + 1).Count(char.IsAsciiDigit) is not 3;

    private static int Number(Group group) => int.Parse(group.Value, CultureInfo.InvariantCulture);

    private static Parsed.Problem NotRead(string text, string what) =>
        new($"“{(text.Length <= 40 ? text : text[..40] + "…")}” is not {what}.");

    private sealed class LaterClock(TimeProvider clock) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => clock.GetUtcNow().AddDays(403).AddHours(5);
    }
}
