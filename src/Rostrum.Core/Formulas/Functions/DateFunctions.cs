using System.Globalization;

namespace Rostrum.Core.Formulas.Functions;

/// <summary>
/// Functions of dates and times, by OpenFormula 1.2, section 6.10. Parts of an instant are those in the workspace's zone.
/// </summary>
internal static class DateFunctions
{
    [Function(
        "A date from its parts; months and days past their ends run on.",
        Examples = [
            "DATE(2026; 3; 1) → DATE(2026, 3, 1)",
            "DATE(2026, 14, 1) → DATE(2027, 2, 1)",
            "DATE(2026, 1, 0) → DATE(2025, 12, 31)",
            "DATE(99999, 1, 1) → BLANK",
        ]
    )]
    public static DateOnly? Date(decimal year, decimal month, decimal day) => Calendar.Of(year, month, day);

    [Function(
        "A time of day from its parts, which run on within the day.",
        Examples = ["HOUR(TIME(14, 75, 0)) → 15", "TIME(14.5, 0, 0) → TIME(14, 30, 0)", "TIME(0, 0, -1) → TIME(23, 59, 59)"]
    )]
    public static TimeOnly? Time(decimal hour, decimal minute, decimal second)
    {
        decimal Within(decimal part) => Math.Clamp(part, -1_000_000_000m, 1_000_000_000m);
        var seconds = ((Within(hour) * 3600) + (Within(minute) * 60) + Within(second)) % 86_400;
        // Databases keep times to the microsecond.
        var microseconds = decimal.Truncate((seconds < 0 ? seconds + 86_400 : seconds) * 1_000_000);
        return TimeOnly.MinValue.Add(TimeSpan.FromTicks((long)microseconds * TimeSpan.TicksPerMicrosecond));
    }

    [Function(
        "The date that a text writes as 2026-03-31; blank where it writes none.",
        Examples = ["DATEVALUE(\"2026-03-31\") → DATE(2026, 3, 31)", "DATEVALUE(\"31/3/2026\") → BLANK"]
    )]
    public static DateOnly? DateValue(string text) =>
        DateOnly.TryParseExact(text.Trim(), "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date) ? date : null;

    [Function(
        "The time that a text writes as 14:30 or 14:30:15; blank where it writes none.",
        Examples = ["TIMEVALUE(\"14:30\") → TIME(14, 30, 0)", "TIMEVALUE(\"25:00\") → BLANK"]
    )]
    public static TimeOnly? TimeValue(string text) =>
        TimeOnly.TryParseExact(text.Trim(), ["HH:mm", "HH:mm:ss"], CultureInfo.InvariantCulture, DateTimeStyles.None, out var time)
            ? time
            : null;

    [Function(
        "The moment that a text writes as 2026-03-31T14:30:00Z, or with another offset in Z's place; blank where it writes none.",
        Examples = ["DATETIME(\"2026-03-31T14:30:00Z\") - DATETIME(\"2026-03-30T14:30:00Z\") → 1", "DATETIME(\"noon\") → BLANK"]
    )]
    public static DateTimeOffset? DateTime(string text) =>
        DateTimeOffset.TryParseExact(
            text.Trim(),
            ["yyyy-MM-dd'T'HH:mm:ss.FFFFFFK", "yyyy-MM-dd'T'HH:mmK"],
            CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal,
            out var instant
        )
            ? instant
            : null;

    [Function("The year.", Examples = ["YEAR(DATE(2026, 3, 1)) → 2026"])]
    [Sql(Postgres = "extract(year from {0})", MySql = "year({0})", Sqlite = "CAST(strftime('%Y', {0}) AS INTEGER)", Width = SqlWidth.Count)]
    public static decimal Year(DateOnly date) => date.Year;

    [Function("The year.")]
    [Sql(Postgres = "extract(year from {0:local})", Width = SqlWidth.Count)]
    public static decimal? Year(FormulaContext context, DateTimeOffset instant) => Local(context, instant)?.Year;

    [Function("The month, from 1 to 12.", Examples = ["MONTH(DATE(2026, 3, 1)) → 3"])]
    [Sql(
        Postgres = "extract(month from {0})",
        MySql = "month({0})",
        Sqlite = "CAST(strftime('%m', {0}) AS INTEGER)",
        Width = SqlWidth.Count
    )]
    public static decimal Month(DateOnly date) => date.Month;

    [Function("The month, from 1 to 12.")]
    [Sql(Postgres = "extract(month from {0:local})", Width = SqlWidth.Count)]
    public static decimal? Month(FormulaContext context, DateTimeOffset instant) => Local(context, instant)?.Month;

    [Function("The day of the month.", Examples = ["DAY(DATE(2026, 3, 1)) → 1"])]
    [Sql(
        Postgres = "extract(day from {0})",
        MySql = "dayofmonth({0})",
        Sqlite = "CAST(strftime('%d', {0}) AS INTEGER)",
        Width = SqlWidth.Count
    )]
    public static decimal Day(DateOnly date) => date.Day;

    [Function("The day of the month.")]
    [Sql(Postgres = "extract(day from {0:local})", Width = SqlWidth.Count)]
    public static decimal? Day(FormulaContext context, DateTimeOffset instant) => Local(context, instant)?.Day;

    [Function("The hour.", Examples = ["HOUR(TIME(14, 30, 15)) → 14"])]
    [Sql(Postgres = "extract(hour from {0})", MySql = "hour({0})", Sqlite = "CAST(strftime('%H', {0}) AS INTEGER)", Width = SqlWidth.Count)]
    public static decimal Hour(TimeOnly time) => time.Hour;

    [Function("The hour.")]
    [Sql(Postgres = "extract(hour from {0:local})", Width = SqlWidth.Count)]
    public static decimal? Hour(FormulaContext context, DateTimeOffset instant) => Local(context, instant)?.Hour;

    [Function("The minute.", Examples = ["MINUTE(TIME(14, 30, 15)) → 30"])]
    [Sql(
        Postgres = "extract(minute from {0})",
        MySql = "minute({0})",
        Sqlite = "CAST(strftime('%M', {0}) AS INTEGER)",
        Width = SqlWidth.Count
    )]
    public static decimal Minute(TimeOnly time) => time.Minute;

    [Function("The minute.")]
    [Sql(Postgres = "extract(minute from {0:local})", Width = SqlWidth.Count)]
    public static decimal? Minute(FormulaContext context, DateTimeOffset instant) => Local(context, instant)?.Minute;

    [Function("The second.", Examples = ["SECOND(TIME(14, 30, 15)) → 15"])]
    [Sql(
        Postgres = "floor(extract(second from {0}))",
        MySql = "second({0})",
        Sqlite = "CAST(strftime('%S', {0}) AS INTEGER)",
        Width = SqlWidth.Count
    )]
    public static decimal Second(TimeOnly time) => time.Second;

    [Function("The second.")]
    [Sql(Postgres = "floor(extract(second from {0:local}))", Width = SqlWidth.Count)]
    public static decimal? Second(FormulaContext context, DateTimeOffset instant) => Local(context, instant)?.Second;

    [Function(
        "The day of the week: from Sunday as 1 (kind 1), from Monday as 1 (kind 2) or as 0 (kind 3).",
        Examples = ["WEEKDAY(DATE(2026, 3, 2)) → 2", "WEEKDAY(DATE(2026, 3, 2), 2) → 1", "WEEKDAY(DATE(2026, 3, 1), 3) → 6"]
    )]
    [Sql(
        Postgres = "CASE {1} WHEN 1 THEN extract(dow from {0}) + 1 WHEN 2 THEN extract(isodow from {0}) WHEN 3 "
            + "THEN extract(isodow from {0}) - 1 END",
        MySql = "CASE {1} WHEN 1 THEN dayofweek({0}) WHEN 2 THEN weekday({0}) + 1 WHEN 3 THEN weekday({0}) END",
        Sqlite = "CASE {1} WHEN 1 THEN strftime('%w', {0}) + 1 WHEN 2 THEN (strftime('%w', {0}) + 6) % 7 + 1 WHEN 3 "
            + "THEN (strftime('%w', {0}) + 6) % 7 END",
        Width = SqlWidth.Count
    )]
    public static decimal? Weekday(DateOnly date, decimal kind = 1) =>
        kind switch
        {
            1 => (int)date.DayOfWeek + 1,
            2 => (((int)date.DayOfWeek + 6) % 7) + 1,
            3 => ((int)date.DayOfWeek + 6) % 7,
            _ => null,
        };

    [Function(
        "The week of the year; the first is that of 1 January, and weeks begin on Sunday (kind 1) or Monday (kind 2).",
        Examples = ["WEEKNUM(DATE(2026, 1, 4)) → 2", "WEEKNUM(DATE(2026, 1, 4), 2) → 1"]
    )]
    public static decimal? WeekNum(DateOnly date, decimal kind = 1)
    {
        if (kind is not (1 or 2))
        {
            return null;
        }

        var first = (int)new DateOnly(date.Year, 1, 1).DayOfWeek;
        return ((date.DayOfYear - 1 + (kind == 1 ? first : (first + 6) % 7)) / 7) + 1;
    }

    [Function("The week by ISO 8601.", Examples = ["ISOWEEKNUM(DATE(2027, 1, 1)) → 53"])]
    [Sql(
        Postgres = "extract(week from {0})",
        MySql = "week({0}, 3)",
        Sqlite = "CAST(strftime('%V', {0}) AS INTEGER)",
        Width = SqlWidth.Count
    )]
    public static decimal IsoWeekNum(DateOnly date) => ISOWeek.GetWeekOfYear(date.ToDateTime(TimeOnly.MinValue));

    [Function("The same day so many months on, or the month's last.", Examples = ["EDATE(DATE(2026, 1, 31), 1) → DATE(2026, 2, 28)"])]
    [Sql(
        Postgres = "CASE WHEN extract(year from {0}) * 12 + extract(month from {0}) - 1 + greatest(least(trunc({1}), 200000), -200000) "
            + "BETWEEN 12 AND 119999 THEN ({0} + make_interval(months => greatest(least(trunc({1}), 200000), -200000)::int))::date "
            + "END",
        MySql = "CASE WHEN year({0}) * 12 + month({0}) - 1 + greatest(least(truncate({1}, 0), 200000), -200000) BETWEEN 12 AND 119999 "
            + "THEN date_add({0}, INTERVAL greatest(least(truncate({1}, 0), 200000), -200000) MONTH) END",
        Sqlite = "CASE WHEN strftime('%Y', {0}) * 12 + strftime('%m', {0}) - 1 + max(min({1}, 200000), -200000) BETWEEN 12 AND 119999 "
            + "THEN date({0}, max(min({1}, 200000), -200000) || ' months', 'floor') END"
    )]
    public static DateOnly? EDate(DateOnly date, decimal months) => Calendar.PlusMonths(date, months);

    [Function("The last day of the month so many months on.", Examples = ["EOMONTH(DATE(2028, 1, 15), 1) → DATE(2028, 2, 29)"])]
    [Sql(
        Postgres = "CASE WHEN extract(year from {0}) * 12 + extract(month from {0}) - 1 + greatest(least(trunc({1}), 200000), -200000) "
            + "BETWEEN 12 AND 119999 THEN (date_trunc('month', {0}::timestamp) + make_interval(months => greatest(least(trunc({1}), "
            + "200000), -200000)::int + 1) - interval '1 day')::date END",
        MySql = "CASE WHEN year({0}) * 12 + month({0}) - 1 + greatest(least(truncate({1}, 0), 200000), -200000) BETWEEN 12 AND 119999 "
            + "THEN last_day(date_add({0}, INTERVAL greatest(least(truncate({1}, 0), 200000), -200000) MONTH)) END"
    )]
    public static DateOnly? EoMonth(DateOnly date, decimal months) =>
        Calendar.PlusMonths(date, months) is { } moved
            ? new DateOnly(moved.Year, moved.Month, System.DateTime.DaysInMonth(moved.Year, moved.Month))
            : null;

    [Function("The days from the second date to the first.", Examples = ["DAYS(DATE(2026, 3, 1), DATE(2026, 2, 1)) → 28"])]
    [Sql(
        Postgres = "({0} - {1})",
        MySql = "datediff({0}, {1})",
        Sqlite = "CAST(julianday({0}) - julianday({1}) AS INTEGER)",
        Width = SqlWidth.Count
    )]
    public static decimal Days(DateOnly end, DateOnly start) => end.DayNumber - start.DayNumber;

    [Function(
        "The days between two dates in years of twelve months of 30 days, by the method of the USA, or by the European one.",
        Examples = [
            "DAYS360(DATE(2026, 1, 31), DATE(2026, 3, 31)) → 60",
            "DAYS360(DATE(2026, 1, 30), DATE(2026, 2, 28)) → 28",
            "DAYS360(DATE(2026, 1, 15), DATE(2026, 3, 31), TRUE) → 75",
        ]
    )]
    public static decimal Days360(DateOnly start, DateOnly end, bool european = false) =>
        european ? Between360(start, Math.Min(start.Day, 30), end, Math.Min(end.Day, 30)) : Months360(start, end, februaryEnds: false);

    [Function(
        "Whole years (\"y\"), months (\"m\") or days (\"d\") between two dates, or what is left over of months (\"ym\") or "
            + "days (\"md\", \"yd\").",
        Examples = [
            "DATEDIF(DATE(2024, 2, 29), DATE(2026, 2, 28), \"y\") → 1",
            "DATEDIF(DATE(2026, 1, 31), DATE(2026, 3, 1), \"m\") → 1",
            "DATEDIF(DATE(2026, 3, 1), DATE(2026, 1, 1), \"d\") → BLANK",
        ]
    )]
    public static decimal? DateDif(DateOnly start, DateOnly end, string unit)
    {
        if (start > end)
        {
            return null;
        }

        var months = ((end.Year - start.Year) * 12) + end.Month - start.Month - (end.Day < start.Day ? 1 : 0);
        return unit.ToLowerInvariant() switch
        {
            "y" => months / 12,
            "m" => months,
            "d" => end.DayNumber - start.DayNumber,
            "ym" => months % 12,
            "md" => end.DayNumber - start.AddMonths(months).DayNumber,
            "yd" => end.DayNumber - start.AddMonths(months / 12 * 12).DayNumber,
            _ => null,
        };
    }

    [Function(
        "The working days from one date to another, both counted, without Saturdays, Sundays and holidays.",
        Examples = ["NETWORKDAYS(DATE(2026, 3, 2), DATE(2026, 3, 9)) → 6", "NETWORKDAYS(DATE(2026, 3, 9), DATE(2026, 3, 2)) → -6"]
    )]
    public static decimal NetworkDays(DateOnly start, DateOnly end) => NetworkDays(start, end, Array.Empty<object?>());

    [Function(
        "The working days from one date to another, both counted, without Saturdays, Sundays and holidays.",
        Examples = ["NETWORKDAYS(DATE(2026, 3, 2), DATE(2026, 3, 9), DATE(2026, 3, 3), DATE(2026, 3, 8)) → 5"]
    )]
    public static decimal NetworkDays(DateOnly start, DateOnly end, params DateOnly?[] holidays) =>
        NetworkDays(start, end, [.. holidays.Cast<object?>()]);

    [Function("The working days from one date to another, both counted, without Saturdays, Sundays and holidays.")]
    public static decimal NetworkDays(DateOnly start, DateOnly end, [Of(typeof(DateOnly))] IReadOnlyList<object?> holidays)
    {
        if (start > end)
        {
            return -NetworkDays(end, start, holidays);
        }

        var weeks = Math.DivRem(end.DayNumber - start.DayNumber + 1, 7, out var rest);
        return (weeks * 5)
            + Enumerable.Range(0, rest).Count(day => !IsWeekend(end.AddDays(-day)))
            - WorkingDays(holidays).Count(holiday => holiday >= start && holiday <= end);
    }

    [Function(
        "The date so many working days on, without Saturdays, Sundays and holidays.",
        Examples = [
            "WORKDAY(DATE(2026, 3, 6), 1) → DATE(2026, 3, 9)",
            "WORKDAY(DATE(2026, 3, 9), -1) → DATE(2026, 3, 6)",
            "WORKDAY(DATE(2026, 3, 7), 5) → DATE(2026, 3, 13)",
            "WORKDAY(DATE(2026, 3, 8), -5) → DATE(2026, 3, 2)",
        ]
    )]
    public static DateOnly? Workday(DateOnly start, decimal days) =>
        WithoutHolidays(start, decimal.Truncate(Math.Clamp(days, -3_000_000m, 3_000_000m)));

    [Function(
        "The date so many working days on, without Saturdays, Sundays and holidays.",
        Examples = ["WORKDAY(DATE(2026, 3, 6), 1, DATE(2026, 3, 9)) → DATE(2026, 3, 10)"]
    )]
    public static DateOnly? Workday(DateOnly start, decimal days, params DateOnly?[] holidays) =>
        Workday(start, days, [.. holidays.Cast<object?>()]);

    [Function("The date so many working days on, without Saturdays, Sundays and holidays.")]
    public static DateOnly? Workday(DateOnly start, decimal days, [Of(typeof(DateOnly))] IReadOnlyList<object?> holidays)
    {
        days = decimal.Truncate(Math.Clamp(days, -3_000_000m, 3_000_000m));
        var off = WorkingDays(holidays).ToArray();
        var (date, before) = (WithoutHolidays(start, days), 0);
        while (date is { } reached)
        {
            var passed = off.Count(holiday => days < 0 ? holiday < start && holiday >= reached : holiday > start && holiday <= reached);
            if (passed == before)
            {
                break;
            }

            (date, before) = (WithoutHolidays(start, days + (days < 0 ? -passed : passed)), passed);
        }

        return date;
    }

    // The holidays that would be working days, each once.
    private static IEnumerable<DateOnly> WorkingDays(IReadOnlyList<object?> holidays) =>
        holidays.OfType<DateOnly>().Distinct().Where(holiday => !IsWeekend(holiday));

    // From a weekend one counts as from its Friday onwards, and as from its Monday backwards.
    private static DateOnly? WithoutHolidays(DateOnly start, decimal days)
    {
        var date = (DateOnly?)start;
        for (var back = days > 0 ? -1 : 1; days != 0 && date is { } weekend && IsWeekend(weekend); )
        {
            date = Calendar.Plus(weekend, back);
        }

        var weeks = decimal.Truncate(days / 5);
        date = date is { } from ? Calendar.Plus(from, weeks * 7) : null;
        for (var left = Math.Abs(days - (weeks * 5)); date is not null && left > 0; )
        {
            date = Calendar.Plus(date.Value, days < 0 ? -1 : 1);
            left -= date is { } day && !IsWeekend(day) ? 1 : 0;
        }

        return date;
    }

    [Function(
        "The years between two dates with their fraction. Basis 0: years of twelve months of 30 days, as in the USA; 1: of "
            + "their own days; 2: of 360 days; 3: of 365; 4: of months of 30 days, as in Europe.",
        Examples = [
            "YEARFRAC(DATE(2026, 1, 1), DATE(2026, 7, 1)) → 0.5",
            "ROUND(YEARFRAC(DATE(2026, 2, 28), DATE(2026, 3, 31)) * 360, 6) → 30",
            "ROUND(YEARFRAC(DATE(2024, 1, 1), DATE(2024, 7, 1), 1) * 366, 6) → 182",
            "ROUND(YEARFRAC(DATE(2026, 1, 1), DATE(2026, 7, 1), 2) * 360, 6) → 181",
            "ROUND(YEARFRAC(DATE(2026, 1, 1), DATE(2026, 7, 1), 3) * 365, 6) → 181",
            "ROUND(YEARFRAC(DATE(2026, 1, 30), DATE(2026, 3, 31), 4) * 360, 6) → 60",
            "YEARFRAC(DATE(2026, 1, 1), DATE(2026, 7, 1), 9) → BLANK",
        ]
    )]
    [Exactness(ExactnessRule.Mean)]
    public static decimal? YearFrac(DateOnly start, DateOnly end, decimal basis = 0)
    {
        var (from, to) = start <= end ? (start, end) : (end, start);
        decimal days = to.DayNumber - from.DayNumber;
        return decimal.Truncate(basis) switch
        {
            0 => Months360(from, to, februaryEnds: true) / 360,
            1 => days / DaysOfAYear(from, to),
            2 => days / 360,
            3 => days / 365,
            4 => Days360(from, to, european: true) / 360,
            _ => null,
        };
    }

    // The mean length of the years between; of less than a year, 366 where a leap day lies between.
    private static decimal DaysOfAYear(DateOnly from, DateOnly to)
    {
        if (to > from.AddYears(1))
        {
            var years = Enumerable.Range(from.Year, to.Year - from.Year + 1).ToArray();
            return years.Sum(year => System.DateTime.IsLeapYear(year) ? 366m : 365m) / years.Length;
        }

        var hasLeapDay =
            from.Year == to.Year
                ? System.DateTime.IsLeapYear(from.Year)
                : (System.DateTime.IsLeapYear(from.Year) && from <= new DateOnly(from.Year, 2, 29))
                    || (System.DateTime.IsLeapYear(to.Year) && to >= new DateOnly(to.Year, 2, 29));
        return hasLeapDay ? 366 : 365;
    }

    // The method of the National Association of Securities Dealers.
    private static decimal Months360(DateOnly start, DateOnly end, bool februaryEnds)
    {
        var startDay = start.Day == 31 || IsFebruarysEnd(start) ? 30 : start.Day;
        var endDay =
            end.Day == 31 && startDay == 30 ? 30
            : februaryEnds && IsFebruarysEnd(start) && IsFebruarysEnd(end) ? 30
            : end.Day;
        return Between360(start, startDay, end, endDay);
    }

    private static bool IsFebruarysEnd(DateOnly date) => date.Month == 2 && date.Day == System.DateTime.DaysInMonth(date.Year, 2);

    private static decimal Between360(DateOnly start, int startDay, DateOnly end, int endDay) =>
        ((end.Year - start.Year) * 360) + ((end.Month - start.Month) * 30) + endDay - startDay;

    [Function(
        "The whole \"seconds\", \"minutes\", \"hours\" or \"days\" of 24 hours that pass from one moment to another.",
        Examples = [
            "ELAPSED(DATETIME(\"2026-03-01T10:00:00Z\"), DATETIME(\"2026-03-01T11:59:59Z\"), \"minutes\") → 119",
            "ELAPSED(DATETIME(\"2026-03-02T00:00:00Z\"), DATETIME(\"2026-03-01T12:00:00Z\"), \"hours\") → -12",
            "ELAPSED(NOW(), NOW(), \"weeks\") → BLANK",
        ]
    )]
    [Sql(
        Postgres = "div(extract(epoch from {1}) - extract(epoch from {0}), CASE lower({2} COLLATE \"C\") WHEN 'seconds' THEN 1 "
            + "WHEN 'minutes' THEN 60 WHEN 'hours' THEN 3600 WHEN 'days' THEN 86400 END)",
        Width = SqlWidth.Moments
    )]
    public static decimal? Elapsed(DateTimeOffset start, DateTimeOffset end, string unit)
    {
        long? ticks = unit.ToLowerInvariant() switch
        {
            "seconds" => TimeSpan.TicksPerSecond,
            "minutes" => TimeSpan.TicksPerMinute,
            "hours" => TimeSpan.TicksPerHour,
            "days" => TimeSpan.TicksPerDay,
            _ => null,
        };
        return ticks is { } one ? (end - start).Ticks / one : null;
    }

    [Function("The moment of the request, the same in all its parts.")]
    public static DateTimeOffset Now(FormulaContext context) => context.Now;

    [Function("The workspace's day at the moment of the request.")]
    public static DateOnly Today(FormulaContext context) => context.Today;

    [Function(
        "The first day of the date's \"year\", \"quarter\", \"month\" or \"week\" (from Monday).",
        Examples = [
            "STARTOF(DATE(2026, 5, 20), \"quarter\") → DATE(2026, 4, 1)",
            "STARTOF(DATE(2026, 3, 1), \"week\") → DATE(2026, 2, 23)",
            "STARTOF(DATE(2026, 3, 1), \"moon\") → BLANK",
        ]
    )]
    [Sql(
        Postgres = "CASE WHEN lower({1} COLLATE \"C\") IN ('year', 'quarter', 'month', 'week', 'day') "
            + "THEN date_trunc(lower({1} COLLATE \"C\"), {0}::timestamp)::date END",
        MySql = "CASE {1} COLLATE utf8mb4_general_ci WHEN 'year' THEN date_sub({0}, INTERVAL dayofyear({0}) - 1 DAY) WHEN 'quarter' "
            + "THEN date_sub(date_sub({0}, INTERVAL dayofmonth({0}) - 1 DAY), INTERVAL mod(month({0}) - 1, 3) MONTH) WHEN 'month' "
            + "THEN date_sub({0}, INTERVAL dayofmonth({0}) - 1 DAY) WHEN 'week' "
            + "THEN date_sub({0}, INTERVAL weekday({0}) DAY) WHEN 'day' THEN {0} END"
    )]
    public static DateOnly? StartOf(DateOnly date, string unit) =>
        unit.ToLowerInvariant() switch
        {
            "year" => new DateOnly(date.Year, 1, 1),
            "quarter" => new DateOnly(date.Year, ((date.Month - 1) / 3 * 3) + 1, 1),
            "month" => new DateOnly(date.Year, date.Month, 1),
            "week" => Calendar.Plus(date, -(((int)date.DayOfWeek + 6) % 7)),
            "day" => date,
            _ => null,
        };

    [Function("The first day of the \"year\", \"quarter\", \"month\" or \"week\" in which it lies, or its \"day\".")]
    [Sql(
        Postgres = "CASE WHEN {1:word} IN ('year', 'quarter', 'month', 'week', 'day') " + "THEN date_trunc({1:word}, {0:local})::date END"
    )]
    public static DateOnly? StartOf(FormulaContext context, DateTimeOffset instant, string unit) =>
        Local(context, instant) is { } local ? StartOf(DateOnly.FromDateTime(local), unit) : null;

    private static bool IsWeekend(DateOnly date) => date.DayOfWeek is DayOfWeek.Saturday or DayOfWeek.Sunday;

    // Blank where the zone's clocks would show a year that there is not.
    private static System.DateTime? Local(FormulaContext context, DateTimeOffset instant)
    {
        var ticks = instant.UtcTicks + context.Zone.GetUtcOffset(instant).Ticks;
        return ticks < System.DateTime.MinValue.Ticks || ticks > System.DateTime.MaxValue.Ticks ? null : new System.DateTime(ticks);
    }
}
