namespace Rostrum.Core.Datasets;

/// <summary>Records whose date lies in a stretch of the calendar, as conditions that an index can serve.</summary>
public static class DayRange
{
    /// <summary>From the beginning of one day to that of another, which is not in it.</summary>
    /// <param name="field">A field with a date or a moment.</param>
    /// <param name="from">The first day.</param>
    /// <param name="until">The first day after it.</param>
    /// <param name="zone">The workspace's time zone.</param>
    public static Filter.And Between(Field field, DateOnly from, DateOnly until, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(field);
        return field.Type is FieldType.Date
            ? Both(field, from, until)
            : Between(field, from.ToDateTime(TimeOnly.MinValue), until.ToDateTime(TimeOnly.MinValue), zone);
    }

    /// <summary>The same from one moment of the workspace's clocks to another.</summary>
    public static Filter.And Between(Field field, DateTime from, DateTime until, TimeZoneInfo zone)
    {
        ArgumentNullException.ThrowIfNull(field);
        ArgumentNullException.ThrowIfNull(zone);
        return field.Type is FieldType.LocalDateTime ? Both(field, from, until) : Both(field, Instant(from, zone), Instant(until, zone));
    }

    /// <summary>
    /// The moment at which the workspace's clocks show a time: of one that comes twice the first, and of one that they skip that after it.
    /// </summary>
    public static DateTimeOffset Instant(DateTime local, TimeZoneInfo zone) =>
        new DateTimeOffset(
            local,
            zone.IsInvalidTime(local) ? zone.GetUtcOffset(local.AddDays(-1))
                : zone.IsAmbiguousTime(local) ? zone.GetAmbiguousTimeOffsets(local).Max()
                : zone.GetUtcOffset(local)
        ).ToUniversalTime();

    private static Filter.And Both(Field field, object from, object until) =>
        new([new Filter.Compare(field.Name, Comparison.AtLeast, from), new Filter.Compare(field.Name, Comparison.Less, until)]);
}
