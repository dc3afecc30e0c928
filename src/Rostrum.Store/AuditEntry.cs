namespace Rostrum.Store;

/// <summary>What an entry of the audit is about.</summary>
public enum AuditKind
{
    /// <summary>Rights to records.</summary>
    Rights,

    /// <summary>A person, a group or an invitation.</summary>
    People,

    /// <summary>A role, and what it may do in the workspace.</summary>
    Roles,

    /// <summary>How people sign in.</summary>
    SignIn,

    /// <summary>Somebody looked through somebody else's eyes.</summary>
    Viewing,

    /// <summary>A version was published, or restored.</summary>
    Apps,

    /// <summary>A source or a secret.</summary>
    Sources,

    /// <summary>A public link.</summary>
    PublicLinks,

    /// <summary>Records left as a file.</summary>
    Exports,

    /// <summary>A secret was used.</summary>
    SecretUses,

    /// <summary>A statement changed data.</summary>
    Statements,
}

/// <summary>Something that an owner may ask after later: who did what, and when. It is written and never changed.</summary>
public sealed class AuditEntry
{
    public long Id { get; init; }
    public required DateTimeOffset At { get; init; }

    /// <summary>Who; null where it was nobody who is signed in.</summary>
    public Guid? PersonId { get; init; }

    /// <summary>Who, by the name of that moment.</summary>
    public required string PersonName { get; init; }
    public required AuditKind Kind { get; init; }

    /// <summary>To what it was done: a role, a dataset, a person.</summary>
    public required string Subject { get; init; }

    /// <summary>What was done, in a sentence.</summary>
    public required string Text { get; init; }

    /// <summary>What came of it, a sentence a line.</summary>
    public string Detail { get; init; } = "";
}
