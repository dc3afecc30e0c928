namespace Rostrum.StandIns.Harbour;

/// <summary>A berth that is asked for, for a vessel and some nights.</summary>
public sealed record Booking
{
    public required string Reference { get; init; }
    public required string PortCode { get; init; }
    public required string Vessel { get; init; }
    public required int Berth { get; init; }
    public required DateTimeOffset Arrives { get; init; }
    public required DateTimeOffset Leaves { get; init; }
    public required string State { get; init; }
    public required decimal Fee { get; init; }
    public string? Note { get; init; }
    public required string RequestedBy { get; init; }
    public bool ShorePower { get; init; }
}

/// <summary>What is sent of a booking: what is left out stays as it is.</summary>
public sealed record BookingChange
{
    public BookingPort? Port { get; init; }
    public string? Vessel { get; init; }
    public int? Berth { get; init; }
    public DateTimeOffset? Arrives { get; init; }
    public DateTimeOffset? Leaves { get; init; }
    public string? State { get; init; }
    public string? Fee { get; init; }
    public string? Note { get; init; }
    public BookingContact? Contact { get; init; }
    public bool? ShorePower { get; init; }
}

/// <summary>The port of a booking.</summary>
public sealed record BookingPort(string? Code);

/// <summary>Who asked for a booking.</summary>
public sealed record BookingContact(string? Name);
