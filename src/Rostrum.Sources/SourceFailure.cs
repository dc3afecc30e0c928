using Rostrum.Sources.Sql;

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

    /// <summary>The formulas would compute too much.</summary>
    TooCostly,

    /// <summary>Anything else.</summary>
    Other,
}

/// <summary>A failed call to a source.</summary>
/// <param name="Reason">The kind of failure.</param>
/// <param name="Message">What happened and what to do, for people; no secret in it.</param>
public sealed record SourceFailure(FailureReason Reason, string Message)
{
    /// <summary>What colleagues read: no names of servers, and nothing that the server said.</summary>
    public string ForColleagues =>
        Reason switch
        {
            FailureReason.TooCostly => Message,
            FailureReason.TimedOut => "The database took too long to answer. Narrow the list with a filter, or try again.",
            FailureReason.StructureChanged => "The database has changed since this app was built. Ask the app's builder to check it.",
            _ => "The database is not available at the moment.",
        };

    /// <summary>It came while changes were about to be kept: nobody knows whether they were.</summary>
    public bool IsUncertain { get; init; }
}
