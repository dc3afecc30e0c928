using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Panels.Charts;

/// <summary>How the values of a field are put together into groups.</summary>
public enum Grouping
{
    /// <summary>Each value by itself.</summary>
    Value,

    /// <summary>By the hour of a day.</summary>
    Hour,

    /// <summary>By the day.</summary>
    Day,

    /// <summary>By the week, from Monday (ISO 8601).</summary>
    Week,

    /// <summary>By the month.</summary>
    Month,

    /// <summary>By the quarter.</summary>
    Quarter,

    /// <summary>By the year.</summary>
    Year,

    /// <summary>By the hour, whatever the day: 0 to 23.</summary>
    HourOfDay,

    /// <summary>By the day of the week, whatever the week: 1 for Monday to 7.</summary>
    DayOfWeek,

    /// <summary>By the month, whatever the year: 1 to 12.</summary>
    MonthOfYear,

    /// <summary>By ranges of numbers of one size.</summary>
    Range,
}

/// <summary>A field by which records are grouped, and how.</summary>
/// <remarks>
/// A group's key is what its records have in common: a value of the field, the first day of a stretch of the calendar
/// (<see cref="DateOnly"/>), the beginning of an hour by the workspace's clocks (<see cref="DateTime"/>), or a number: of an hour, a day
/// or a month, or where a range begins.
/// </remarks>
/// <param name="Field">The field.</param>
/// <param name="Grouping">How its values are put together.</param>
/// <param name="RangeSize">The size of a range of numbers, more than 0.</param>
public sealed record Dimension(Field Field, Grouping Grouping, decimal RangeSize = 1)
{
    /// <summary>The groupings, and what builders read.</summary>
    public static ImmutableArray<(Grouping Grouping, string Label)> Offered { get; } =
    [
        (Grouping.Value, "each value"),
        (Grouping.Hour, "hour"),
        (Grouping.Day, "day"),
        (Grouping.Week, "week"),
        (Grouping.Month, "month"),
        (Grouping.Quarter, "quarter"),
        (Grouping.Year, "year"),
        (Grouping.HourOfDay, "hour of the day"),
        (Grouping.DayOfWeek, "day of the week"),
        (Grouping.MonthOfYear, "month of the year"),
        (Grouping.Range, "ranges of numbers"),
    ];

    /// <summary>The grouping that suits a field, where nobody says which.</summary>
    public static Grouping Usual(Field field)
    {
        ArgumentNullException.ThrowIfNull(field);
        return field.Type.HasDay ? Grouping.Month
            : field.Type is FieldType.Number or FieldType.Floating ? Grouping.Range
            : Grouping.Value;
    }

    /// <summary>Whether a field's values can be put together so.</summary>
    public static bool Suits(Grouping grouping, FieldType type)
    {
        ArgumentNullException.ThrowIfNull(type);
        return grouping switch
        {
            Grouping.Value => true,
            Grouping.Range => type.IsNumeric,
            Grouping.Hour or Grouping.HourOfDay => type is FieldType.Instant or FieldType.LocalDateTime,
            _ => type.HasDay,
        };
    }

    /// <summary>Its groups are stretches of the calendar, one after the other.</summary>
    public bool IsCalendar => Grouping is >= Grouping.Hour and <= Grouping.Year;

    /// <summary>Its groups come round again: hours of the day, days of the week.</summary>
    public bool Recurs => Grouping is Grouping.HourOfDay or Grouping.DayOfWeek or Grouping.MonthOfYear;

    /// <summary>Its groups have an order of their own, in which one can be missing.</summary>
    public bool IsOrdered => Grouping is not Grouping.Value || Field.Type.IsNumeric || Field.Type.IsTemporal;

    /// <summary>The grouping by the next longer stretch of the calendar; null where there is none.</summary>
    public Dimension? Coarser => IsCalendar && Grouping < Grouping.Year ? this with { Grouping = Grouping + 1 } : null;

    /// <summary>The columns whose values make a key: the field itself, or what formulas give under names of their own.</summary>
    /// <param name="name">What the names begin with.</param>
    public ImmutableArray<(FieldName Name, string? Formula)> Columns(string name)
    {
        var field = Formatter.Name(Field.Name.Value);
        var first = new FieldName(name);
        string Start(string unit) => $"STARTOF({field}, \"{unit}\")";
        return Grouping switch
        {
            Grouping.Value => [(Field.Name, null)],
            Grouping.Hour => [(first, Start("day")), (new FieldName($"{name} hour"), $"HOUR({field})")],
            Grouping.HourOfDay => [(first, $"HOUR({field})")],
            Grouping.DayOfWeek => [(first, $"WEEKDAY({Start("day")}, 2)")],
            Grouping.MonthOfYear => [(first, $"MONTH({field})")],
            Grouping.Range => [(first, $"FLOOR({field}, {RangeSize.ToString(CultureInfo.InvariantCulture)})")],
            _ => [(first, Start(Grouping.ToString().ToLowerInvariant()))],
        };
    }

    /// <summary>A group's key out of the values of <see cref="Columns"/>; null for a blank.</summary>
    public static object? KeyOf(IReadOnlyList<object?> values)
    {
        ArgumentNullException.ThrowIfNull(values);
        return values switch
        {
            [DateOnly day, decimal hour] => day.ToDateTime(new TimeOnly((int)hour, 0)),
            [Unreadable, ..] or [null, ..] => null,
            [long or int or short, ..] => Convert.ToDecimal(values[0], CultureInfo.InvariantCulture),
            [var value, ..] => value,
            _ => null,
        };
    }

    /// <summary>The key of the stretch of the calendar in which a day begins; null where the groups are no such stretches.</summary>
    public object? KeyOf(DateOnly day) =>
        !IsCalendar ? null
        : Grouping is Grouping.Hour ? day.ToDateTime(TimeOnly.MinValue)
        : Formulas.Functions.DateFunctions.StartOf(day, Grouping.ToString());

    /// <summary>The keys from one to another, each with none left out; none where there is no such order.</summary>
    /// <param name="first">The first.</param>
    /// <param name="last">The last.</param>
    /// <param name="most">No more than so many, and none where there would be.</param>
    public ImmutableArray<object> Between(object first, object last, int most)
    {
        var keys = ImmutableArray.CreateBuilder<object>();
        for (object? key = Recurs ? Cycle.First : first; key is not null; key = Next(key))
        {
            if (Order(key, Recurs ? Cycle.Last : last) > 0)
            {
                return keys.ToImmutable();
            }

            if (keys.Count == most)
            {
                return [];
            }

            keys.Add(key);
        }

        return keys.ToImmutable();
    }

    private (object First, object Last) Cycle =>
        Grouping switch
        {
            Grouping.HourOfDay => (0m, 23m),
            Grouping.DayOfWeek => (1m, 7m),
            _ => (1m, 12m),
        };

    /// <summary>How two keys stand to each other; blanks come last.</summary>
    public static int Order(object? one, object? other) =>
        one is null || other is null ? (one is null).CompareTo(other is null)
        : one is string text && other is string than ? string.Compare(text, than, StringComparison.OrdinalIgnoreCase)
        : one.GetType() == other.GetType() && one is IComparable comparable ? comparable.CompareTo(other)
        : 0;

    // Null past the end of the calendar, and where there is no next.
    private object? Next(object key)
    {
        try
        {
            return (Grouping, key) switch
            {
                (Grouping.Hour, DateTime hour) => hour.AddHours(1),
                (_, DateOnly day) when Grouping is not Grouping.Value => After(day),
                (Grouping.Range, decimal number) => number + RangeSize,
                (_, decimal number) when Recurs => number + 1,
                _ => null,
            };
        }
        catch (Exception exception) when (exception is ArgumentOutOfRangeException or OverflowException)
        {
            return null;
        }
    }

    /// <summary>The first day after a stretch of the calendar that begins on a day.</summary>
    public DateOnly After(DateOnly day) =>
        Grouping switch
        {
            Grouping.Day => day.AddDays(1),
            Grouping.Week => day.AddDays(7),
            Grouping.Month => day.AddMonths(1),
            Grouping.Quarter => day.AddMonths(3),
            _ => day.AddYears(1),
        };

    /// <summary>What people read for a group.</summary>
    /// <param name="key">Its key.</param>
    /// <param name="title">The title of the record to which the key refers; null where it refers to none.</param>
    /// <param name="format">How the workspace writes.</param>
    public string Label(object? key, string? title, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(format);
        var culture = format.Culture;
        return (Grouping, key) switch
        {
            (_, null) => "blank",
            (Grouping.Hour, DateTime hour) => $"{format.Display(new FieldType.Date(), DateOnly.FromDateTime(hour))} {hour:HH}:00",
            (Grouping.HourOfDay, decimal hour) => string.Create(culture, $"{hour:00}:00"),
            (Grouping.DayOfWeek, decimal day) => culture.DateTimeFormat.AbbreviatedDayNames[(int)day % 7],
            (Grouping.MonthOfYear, decimal month) => culture.DateTimeFormat.AbbreviatedMonthNames[(int)month - 1],
            (Grouping.Day, DateOnly day) => format.Display(new FieldType.Date(), day),
            (Grouping.Week, DateOnly day) => $"week of {format.Display(new FieldType.Date(), day)}",
            (Grouping.Month, DateOnly day) => day.ToString("MMM yyyy", culture),
            (Grouping.Quarter, DateOnly day) => string.Create(culture, $"Q{((day.Month - 1) / 3) + 1} {day:yyyy}"),
            (Grouping.Year, DateOnly day) => day.Year.ToString("0", culture),
            (Grouping.Range, decimal from) => $"{Number(format, from)} to {Number(format, from + RangeSize)}",
            (_, decimal number) => title ?? Number(format, number),
            _ => title ?? (key is string option ? Shown(format, option) : format.Display(Field, key)),
        };
    }

    private string Number(RecordFormat format, decimal number) => format.Display(Field with { Type = new FieldType.Number() }, number);

    private string Shown(RecordFormat format, string value) =>
        Field.Type is FieldType.Choice ? Field.LabelOf(value)
        : value.Length == 0 ? "empty text"
        : format.Display(Field, value);

    /// <summary>A short form for an axis.</summary>
    /// <param name="key">The group's key.</param>
    /// <param name="label">Its label.</param>
    /// <param name="format">How the workspace writes.</param>
    public string Tick(object? key, string label, RecordFormat format)
    {
        ArgumentNullException.ThrowIfNull(format);
        return (Grouping, key) switch
        {
            (Grouping.Hour, DateTime { Hour: > 0 } hour) => $"{hour:HH}:00",
            (Grouping.Hour or Grouping.Day or Grouping.Week, DateOnly or DateTime) => ((IFormattable)key).ToString("d MMM", format.Culture),
            (Grouping.Range, decimal from) => Number(format, from),
            _ => label,
        };
    }

    /// <summary>The records of a group.</summary>
    /// <param name="key">Its key.</param>
    /// <param name="zone">The workspace's time zone.</param>
    public Filter Is(object? key, TimeZoneInfo zone)
    {
        var column = Columns("by")[0];
        return (Grouping, key) switch
        {
            (_, null) => new Filter.OneOf(Field.Name, [null]),
            (Grouping.Hour, DateTime hour) => DayRange.Between(Field, hour, hour.AddHours(1), zone),
            (_, DateOnly day) when IsCalendar => DayRange.Between(Field, day, After(day), zone),
            (Grouping.Range, decimal from) => new Filter.And([
                new Filter.Compare(Field.Name, Comparison.AtLeast, OfField(from)),
                new Filter.Compare(Field.Name, Comparison.Less, OfField(from + RangeSize)),
            ]),
            (_, decimal number) when Recurs => new Filter.Holds($"{column.Formula} = {number.ToString(CultureInfo.InvariantCulture)}"),
            _ => new Filter.OneOf(Field.Name, [key is decimal number ? OfField(number) : key]),
        };
    }

    /// <summary>What a list's field is narrowed to for the records of a group; null where a list cannot be narrowed so.</summary>
    public FieldCondition? Condition(object? key)
    {
        var none = FieldCondition.None;
        return (Grouping, key) switch
        {
            (_, null) => none with { Values = [FieldCondition.Blank] },
            (_, DateOnly day) when IsCalendar => none with { From = Day(day), To = Day(After(day).AddDays(-1)) },
            (Grouping.Range, decimal from) when Field.Type is FieldType.Integer => none with
            {
                From = Number(from),
                To = Number(Math.Ceiling(from + RangeSize) - 1),
            },
            (Grouping.Value, _) => none with
            {
                Values = [FieldText.ToCanonical(Field.Type, key is decimal number ? OfField(number) : key)],
            },
            _ => null,
        };

        static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        static string Number(decimal number) => number.ToString(CultureInfo.InvariantCulture);
    }

    // Whole numbers are carried as such, and compared with such: the next one up keeps the order.
    private object OfField(decimal number) =>
        Field.Type switch
        {
            FieldType.Integer => (long)Math.Ceiling(number),
            FieldType.Floating => (double)number,
            _ => number,
        };

    /// <summary>A key as it stands in an address; <see cref="Parse"/> gives it back.</summary>
    public string Text(object? key) =>
        key switch
        {
            null => "",
            DateTime hour when Grouping is Grouping.Hour => hour.ToString("yyyy-MM-dd'T'HH", CultureInfo.InvariantCulture),
            DateOnly day => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            decimal number => number.ToString(CultureInfo.InvariantCulture),
            string text => "=" + text,
            _ => FieldText.ToCanonical(Field.Type, key),
        };

    /// <summary>Reads what <see cref="Text(object?)"/> wrote; blank for anything else.</summary>
    public object? Parse(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return text.Length == 0 ? null
            : text[0] == '=' ? text[1..]
            : Grouping is Grouping.Hour ? ReadHour(text)
            : IsCalendar || (Grouping is Grouping.Value && Field.Type is FieldType.Date) ? ReadDay(text)
            : Grouping is not Grouping.Value || Field.Type.IsNumeric ? ReadNumber(text)
            : FieldText.FromCanonical(Field.Type, text) is Parsed.Value { Is: var value } ? value
            : null;
    }

    private static DateTime? ReadHour(string text) =>
        DateTime.TryParseExact(text, "yyyy-MM-dd'T'HH", CultureInfo.InvariantCulture, DateTimeStyles.None, out var hour) ? hour : null;

    private static DateOnly? ReadDay(string text) =>
        DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day) ? day : null;

    private static decimal? ReadNumber(string text) =>
        decimal.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var number) ? number : null;
}
