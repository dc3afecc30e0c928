namespace Rostrum.Store;

/// <summary>When a person last opened an app, to some minutes.</summary>
public sealed class AppOpening
{
    public Guid PersonId { get; init; }

    /// <summary>The app's address.</summary>
    public required string App { get; init; }

    public DateTimeOffset At { get; set; }
}
