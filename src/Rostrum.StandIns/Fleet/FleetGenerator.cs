using System.Globalization;

namespace Rostrum.StandIns.Fleet;

/// <summary>The rows of the demo's <i>fleet</i> database, made up by code from fixed seeds and the day of loading.</summary>
internal sealed class FleetGenerator(DateOnly today)
{
    private static readonly string[] Hulls = ["BF-101", "BF-102", "BF-103", "BF-104", "BF-105", "BF-106", "BF-107", "BF-108"];

    private static readonly (
        string Code,
        string From,
        string To,
        string? Relief,
        int Minutes,
        string Season,
        int Daily,
        int Base
    )[] Lines =
    [
        ("R01", "BRW", "SKS", "ELM", 35, "all year", 16, 92),
        ("R02", "BRW", "ELM", "SKS", 50, "all year", 12, 70),
        ("R03", "BRW", "TOR", "HAV", 75, "all year", 9, 58),
        ("R04", "TOR", "HAV", null, 30, "all year", 10, 34),
        ("R05", "ELM", "GUL", "BRW", 25, "all year", 12, 30),
        ("R06", "SKS", "LIN", "BRW", 40, "all year", 9, 26),
        ("R07", "LIN", "MOR", null, 55, "all year", 6, 18),
        ("R08", "HAV", "STE", "TOR", 65, "summer", 8, 44),
        ("R09", "BRW", "STE", "TOR", 110, "all year", 5, 66),
        ("R10", "GUL", "MOR", "ELM", 45, "summer", 7, 20),
        ("R11", "STE", "TOR", null, 50, "all year", 7, 24),
        ("R12", "BRW", "MOR", "LIN", 130, "all year", 4, 52),
    ];

    private static readonly string[] Reporters =
    [
        "Egil Strand",
        "Tuva Berg",
        "Maren Vik",
        "Nils Aune",
        "Ragna Holt",
        "Ivar Moen",
        "Sigrid Dahl",
        "Pia Sund",
    ];

    public static IEnumerable<object?[]> Ports() =>
        [
            ["BRW", "Brackwater", "Main island", (short)5, 58.41210m, 5.90110m],
            ["SKS", "Skerry Sound", "Skerra", (short)3, 58.47350m, 5.74020m],
            ["ELM", "Elmholm", "Elmholm", (short)2, 58.38800m, 5.70115m],
            ["TOR", "Torvik", "Storra", (short)3, 58.60040m, 5.61230m],
            ["HAV", "Havna", "Storra", (short)2, 58.66190m, 5.55500m],
            ["GUL", "Gull Haven", "Little Elmholm", (short)1, 58.35505m, 5.66340m],
            ["LIN", "Lindness", "Skerra", (short)2, 58.50070m, 5.68890m],
            ["MOR", "Mornay Point", "Mornay", (short)2, 58.42930m, 5.50040m],
            ["STE", "Stennis", "Outer Storra", (short)1, 58.71120m, 5.40220m],
        ];

    public static IEnumerable<object?[]> Vessels()
    {
        (string Name, string Class, DateOnly Built, int Passengers, int Cars, string Port, string State)[] vessels =
        [
            ("Kittiwake", "Sound class", new(2009, 4, 18), 399, 90, "BRW", "in service"),
            ("Razorbill", "Sound class", new(2010, 3, 6), 399, 90, "BRW", "in service"),
            ("Guillemot", "Island class", new(1998, 5, 29), 250, 44, "TOR", "in service"),
            ("Fulmar", "Island class", new(1999, 9, 14), 250, 44, "SKS", "in service"),
            ("Oystercatcher", "Shuttle class", new(2016, 2, 11), 149, 24, "ELM", "in service"),
            ("Turnstone", "Shuttle class", new(2017, 6, 3), 149, 24, "LIN", "in service"),
            ("Great Skua", "Ocean class", new(2021, 11, 20), 580, 140, "STE", "docked"),
            ("Old Petrel", "Island class", new(1976, 7, 1), 210, 30, "HAV", "laid up"),
        ];
        return vessels.Select(
            (vessel, i) =>
                new object?[]
                {
                    Hulls[i],
                    vessel.Name,
                    vessel.Class,
                    vessel.Built,
                    vessel.Passengers,
                    vessel.Cars,
                    vessel.Port,
                    new EnumLabel(vessel.State),
                    VesselPicture.Draw(vessel.Name, i),
                }
        );
    }

    public static IEnumerable<object?[]> Routes() =>
        Lines.Select(line => new object?[] { line.Code, line.From, line.To, line.Relief, line.Minutes, line.Season });

    /// <summary>About 40,000 sailings: 300 days back, 65 ahead.</summary>
    public IEnumerable<object?[]> Sailings()
    {
        var random = new Random(1001);
        string[] reasons = ["Gale warning", "Engine fault", "No crew", "Fog", "Berth closed", "Medical evacuation"];
        for (var day = today.AddDays(-300); day < today.AddDays(65); day = day.AddDays(1))
        {
            var summer = day.Month is >= 5 and <= 9;
            for (var i = 0; i < Lines.Length; i++)
            {
                var line = Lines[i];
                var trips = line.Daily + (summer ? 2 : 0) + (day.DayOfWeek is DayOfWeek.Friday or DayOfWeek.Sunday ? 1 : 0);
                for (var trip = 0; trip < trips; trip++)
                {
                    yield return Sailing(random, reasons, day, line, i, trip, trips, summer);
                }
            }
        }
    }

    private object?[] Sailing(
        Random random,
        string[] reasons,
        DateOnly day,
        (string Code, string From, string To, string? Relief, int Minutes, string Season, int Daily, int Base) line,
        int route,
        int trip,
        int trips,
        bool summer
    )
    {
        var departs = Instant(day, 5 * 60 + 30 + (trip * 17 * 60 / trips) / 5 * 5);
        var arrives = departs.AddMinutes(line.Minutes);
        var cancelled = random.Next(100) < 3;
        var delay = random.Next(100) < 78 ? random.Next(-2, 4) : random.Next(4, 40);
        var past = day < today;
        var state =
            cancelled && day <= today.AddDays(2) ? "cancelled"
            : past ? "arrived"
            : "planned";
        var sailed = state == "arrived";
        var load = line.Base * (summer ? 1.5 : 0.9) * (0.4 + random.NextDouble());
        var foot =
            sailed ? (int)load
            : state == "planned" && random.Next(3) == 0 ? (int)(load / 6)
            : 0;
        var cars = sailed ? (int)(load / 4.2) : 0;
        var hull = Hulls[(route + (trip % 2)) % 6];
        return
        [
            line.Code,
            hull,
            departs,
            arrives,
            sailed ? arrives.AddMinutes(delay) : null,
            new EnumLabel(state),
            foot,
            cars,
            sailed ? decimal.Round((foot * (4.5m + line.Minutes * 0.06m)) + (cars * (11m + line.Minutes * 0.21m)), 2) : 0m,
            state == "cancelled" ? reasons[random.Next(reasons.Length)] : null,
        ];
    }

    public IEnumerable<object?[]> Defects()
    {
        var random = new Random(1002);
        string[] parts =
        [
            "bow door",
            "bilge pump",
            "fire door 3",
            "radar display",
            "port engine",
            "starboard engine",
            "car deck lamp",
            "gangway rail",
            "life-raft cradle",
            "galley vent",
            "rudder indicator",
            "lounge window",
            "ballast valve",
            "shore ramp hinge",
            "emergency generator",
        ];
        string[] faults =
        [
            "leaks",
            "will not close",
            "shows no reading",
            "is worn",
            "trips the fuse",
            "is cracked",
            "vibrates above 80 % power",
            "sticks when cold",
            "alarm sounds without cause",
            "is overdue for inspection",
        ];
        string[] severities = ["minor", "minor", "minor", "moderate", "moderate", "serious", "critical"];
        for (var i = 0; i < 1200; i++)
        {
            var part = parts[random.Next(parts.Length)];
            var fault = faults[random.Next(faults.Length)];
            var severity = severities[random.Next(severities.Length)];
            var age = 1 + (int)Math.Pow(random.NextDouble() * 19, 2);
            var closed = age > 20 && random.Next(100) < 88;
            var state = closed
                ? "closed"
                : random.Next(10) switch
                {
                    < 5 => "open",
                    < 8 => "in work",
                    _ => "waiting for parts",
                };
            var reported = today.AddDays(-age);
            var estimate = random.Next(5) == 0 ? null : (decimal?)(random.Next(4, 900) * 10);
            yield return
            [
                Hulls[random.Next(Hulls.Length)],
                Reporters[random.Next(Reporters.Length)],
                Instant(reported, random.Next(360, 1320)),
                $"{char.ToUpper(part[0], CultureInfo.InvariantCulture)}{part[1..]} {fault}",
                $"Found on the round of {reported:d MMMM}.\n\n- **What**: the {part} {fault}.\n- **Since**: {random.Next(1, 9)} "
                    + $"days\n- Spare part {(random.Next(2) == 0 ? "on board" : "to be ordered")}",
                new EnumLabel(severity),
                new EnumLabel(state),
                random.Next(8) == 0 ? null : reported.AddDays(random.Next(3, 45)),
                estimate,
                closed && estimate is not null ? decimal.Round(estimate.Value * (decimal)(0.6 + random.NextDouble()), 2) : null,
                null,
            ];
        }
    }

    public IEnumerable<object?[]> Dockings()
    {
        var random = new Random(1003);
        string[] yards = ["Torvik Slip", "Haldane & Roe", "North Basin Yard"];
        var lastOf = new Dictionary<string, int>(StringComparer.Ordinal);
        for (var i = 0; i < 24; i++)
        {
            var start = today.AddDays(-700 + (i * 35) + random.Next(-10, 10));
            var end = start.AddDays(random.Next(12, 40));
            var percent =
                end < today ? 100
                : start > today ? 0
                : Math.Min(95, 100 * (today.DayNumber - start.DayNumber) / (end.DayNumber - start.DayNumber));
            var budget = random.Next(40, 400) * 1000m;
            var yard = yards[random.Next(yards.Length)];
            int? before = lastOf.TryGetValue(yard, out var last) ? last : null;
            // Numbers are given from 1, in this order.
            lastOf[yard] = i + 1;
            yield return
            [
                Hulls[i % Hulls.Length],
                yard,
                start,
                end,
                start <= today ? start.AddDays(random.Next(0, 4)) : null,
                percent == 100 ? end.AddDays(random.Next(-3, 9)) : null,
                percent,
                budget,
                decimal.Round(budget * percent / 100m * (decimal)(0.85 + (random.NextDouble() * 0.3)), 2),
                before,
            ];
        }
    }

    public IEnumerable<object?[]> FuelLogs()
    {
        var random = new Random(1004);
        string[] ports = ["BRW", "BRW", "TOR", "SKS", "STE"];
        for (var i = 0; i < 3000; i++)
        {
            var id = new byte[16];
            random.NextBytes(id);
            yield return
            [
                new Guid(id),
                Hulls[random.Next(7)],
                ports[random.Next(ports.Length)],
                Instant(today.AddDays(-random.Next(0, 365)), random.Next(240, 1400)),
                random.Next(8000, 90000) / 10m,
                decimal.Round(0.78m + ((decimal)random.NextDouble() * 0.3m), 3),
            ];
        }
    }

    public IEnumerable<object?[]> TimetableChanges()
    {
        var random = new Random(1005);
        string[] reasons =
        [
            "School term begins: an earlier first crossing",
            "Market day on Saturdays",
            "Road works on the harbour approach",
            "Winter gales: longer turn-round",
            "Festival week, two more crossings",
            "Crew training in the mornings",
        ];
        string[] states = ["asked", "under review", "agreed", "agreed", "refused"];
        for (var i = 0; i < 60; i++)
        {
            var from = today.AddDays(random.Next(-200, 90));
            yield return
            [
                Lines[random.Next(Lines.Length)].Code,
                Reporters[random.Next(Reporters.Length)],
                reasons[random.Next(reasons.Length)],
                from,
                random.Next(4) == 0 ? null : from.AddDays(random.Next(7, 120)),
                new EnumLabel(from > today ? states[random.Next(2)] : states[random.Next(2, 5)]),
            ];
        }
    }

    public IEnumerable<object?[]> LegacyCodes()
    {
        var random = new Random(1006);
        for (var i = 0; i < 40; i++)
        {
            var broken = i % 13 == 12;
            yield return
            [
                broken ? null : string.Create(CultureInfo.InvariantCulture, $"OC/{i % 37:000}"),
                broken ? null : i,
                i % 3 == 0 ? null : i % 2 == 0,
                i % 7 == 0 ? "Hafenstraße 4 – \"Süd\""
                : i % 5 == 0 ? "  <b>50 %</b> \\ O'Neill_1"
                : null,
                broken ? "BF-999" : Hulls[i % Hulls.Length],
                i % 11 == 0 ? null : today.AddDays(-random.Next(3000, 9000)),
                i % 4 == 0 ? new[] { "ticket", "old, \"machine\"" } : null,
                new JsonText($$"""{"machine": {{i}}, "ok": {{(broken ? "null" : "true")}}}"""),
            ];
        }
    }

    // The company keeps its clock in one zone; the demo uses UTC so that the rows do not depend on the machine.
    private static DateTimeOffset Instant(DateOnly day, int minute) =>
        new(day.ToDateTime(TimeOnly.MinValue).AddMinutes(minute), TimeSpan.Zero);
}
