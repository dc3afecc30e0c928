namespace Rostrum.Sources;

/// <summary>Why a source did not do what it was asked.</summary>
public enum FailureReason
{
    /// <summary>No machine has that name.</summary>
    UnknownHost,

    /// <summary>The machine answers, and nothing listens there.</summary>
    Refused,

    /// <summary>User or password are wrong.</summary>
    WrongPassword,

    /// <summary>The server has no such database.</summary>
    UnknownDatabase,

    /// <summary>The user may not do that there.</summary>
    NoRight,

    /// <summary>No answer in time.</summary>
    TimedOut,

    /// <summary>The structure is no longer what it was when it was read.</summary>
    StructureChanged,

    /// <summary>Anything else.</summary>
    Other,
}

/// <summary>A failed call to a source.</summary>
/// <param name="Reason">The kind of failure.</param>
/// <param name="Message">What happened and what to do, for people; no secret in it.</param>
public sealed record SourceFailure(FailureReason Reason, string Message)
{
    /// <summary>It came while changes were about to be kept: nobody knows whether they were.</summary>
    public bool IsUncertain { get; init; }
}
