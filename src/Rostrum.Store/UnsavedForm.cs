namespace Rostrum.Store;

/// <summary>What one person has typed into one form and not yet saved.</summary>
public sealed class UnsavedForm
{
    /// <summary>The most characters that are kept of a form.</summary>
    public const int MostText = 200_000;

    /// <summary>How many forms are kept for a person: of more, the oldest go.</summary>
    public const int MostForms = 50;

    public Guid PersonId { get; init; }

    /// <summary>Names the form: its page, and the record in it.</summary>
    public required string Form { get; init; }

    /// <summary>The values by the names of the inputs, in JSON.</summary>
    public required string Values { get; set; }

    /// <summary>When something was typed last.</summary>
    public required DateTimeOffset At { get; set; }
}
