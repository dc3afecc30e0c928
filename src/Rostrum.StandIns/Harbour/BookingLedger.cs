using System.Collections.Concurrent;
using System.Globalization;

namespace Rostrum.StandIns.Harbour;

/// <summary>The bookings of all ports, from a fixed seed: the same day gives the same ones. They last as long as the process.</summary>
public sealed class BookingLedger
{
    private const int Seed = 20_261_127;
    private const int Bookings = 180;

    public static readonly string[] Ports = ["BRW", "SKS", "ELM", "TOR", "HAV", "GUL", "LIN", "MOR", "STE"];
    public static readonly string[] States = ["asked", "confirmed", "withdrawn"];
    private static readonly string[] Hulls = ["BF-101", "BF-102", "BF-103", "BF-104", "BF-105", "BF-106", "BF-107", "BF-108"];
    private static readonly string[] Contacts = ["Runa Holt", "Aksel Moen", "Signe Dahl", "Odd Vik"];

    private readonly ConcurrentDictionary<string, Booking> _bookings = new(StringComparer.Ordinal);
    private int _last;

    public BookingLedger(DateOnly today)
    {
        var random = new Random(Seed);
        for (var number = 1; number <= Bookings; number++)
        {
            var arrives = today.ToDateTime(new TimeOnly(random.Next(5, 22), 0)).AddDays(-60 + (number * 90 / Bookings));
            Add(
                new Booking
                {
                    Reference = "",
                    PortCode = Ports[random.Next(Ports.Length)],
                    Vessel = Hulls[random.Next(Hulls.Length)],
                    Berth = random.Next(1, 5),
                    Arrives = new DateTimeOffset(arrives, TimeSpan.Zero),
                    Leaves = new DateTimeOffset(arrives.AddHours(random.Next(8, 60)), TimeSpan.Zero),
                    State =
                        random.Next(10) == 0 ? "withdrawn"
                        : number > Bookings - 50 ? "asked"
                        : "confirmed",
                    Fee = 80 + random.Next(0, 400) + (random.Next(4) * 0.25m),
                    Note = random.Next(5) == 0 ? "Needs the long ramp." : null,
                    RequestedBy = Contacts[random.Next(Contacts.Length)],
                    ShorePower = random.Next(3) == 0,
                }
            );
        }
    }

    public IEnumerable<Booking> All =>
        _bookings.Values.OrderBy(booking => booking.Arrives).ThenBy(booking => booking.Reference, StringComparer.Ordinal);

    public Booking? Find(string reference) => _bookings.GetValueOrDefault(reference);

    public Booking Add(Booking booking)
    {
        var added = booking with { Reference = string.Create(CultureInfo.InvariantCulture, $"HB-{Interlocked.Increment(ref _last):0000}") };
        _bookings[added.Reference] = added;
        return added;
    }

    public void Replace(Booking booking) => _bookings[booking.Reference] = booking;

    public bool Remove(string reference) => _bookings.TryRemove(reference, out _);
}
