using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;

namespace Rostrum.Store;

/// <summary>Someone who signs in.</summary>
public sealed class Person : IdentityUser<Guid>
{
    public required string Name { get; set; }

    /// <summary>The values of the workspace's attributes, each in canonical text; blank where there is none.</summary>
    public ImmutableDictionary<string, string> Attributes { get; set; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>When the person is told by mail of what they watch.</summary>
    public WatchMail WatchMail { get; set; }

    /// <summary>The day of the last mail with what was not read.</summary>
    public DateOnly? DigestOn { get; set; }

    /// <summary>The time zone by whose clocks the person is told of things (an IANA name); the workspace's where null.</summary>
    public string? Zone { get; set; }

    /// <summary>The role in which the person works with the apps; all of theirs where null, or where they may not choose it.</summary>
    public string? WorksAs { get; set; }

    /// <summary>Since when the person cannot sign in; null while they can.</summary>
    public DateTimeOffset? DeactivatedAt { get; set; }
}

/// <summary>People who belong together: each has the group's roles.</summary>
public sealed class Group
{
    /// <summary>The name in formulas, among <c>user.groups</c>.</summary>
    public required string Name { get; init; }
    public required string Label { get; set; }

    /// <summary>The names of the roles that its people have by it.</summary>
    public string[] Roles { get; set; } = [];
}

/// <summary>Somebody belongs to a group.</summary>
public sealed class GroupMember
{
    public required string GroupName { get; init; }
    public required Guid PersonId { get; init; }
}

/// <summary>Somebody is asked to join. The link that is sent holds a token, of which the store keeps a digest alone.</summary>
public sealed class Invitation
{
    public Guid Id { get; init; }
    public required string Email { get; init; }

    /// <summary>The name, where it was said.</summary>
    public string? Name { get; init; }
    public string[] Roles { get; init; } = [];
    public string[] Groups { get; init; } = [];

    /// <summary>SHA-256 of the token.</summary>
    public required byte[] Digest { get; set; }
    public required DateTimeOffset MadeAt { get; set; }
    public required Guid MadeBy { get; init; }
    public required DateTimeOffset Ends { get; set; }
    public DateTimeOffset? AcceptedAt { get; set; }

    /// <summary>Each save has the next, so that one invitation is accepted once.</summary>
    public int Revision { get; set; }
}

/// <summary>A mail that is to be sent, or was.</summary>
public sealed class OutgoingMail
{
    public long Id { get; init; }
    public required string Address { get; init; }
    public required string Subject { get; init; }
    public required string Text { get; set; }

    /// <summary>The files that go with it.</summary>
    public ImmutableArray<MailAttachment> Attachments { get; set; } = [];

    /// <summary>The address at which whoever gets it can end such mails; null where it is none of a kind that can end.</summary>
    public string? Unsubscribe { get; init; }
    public required DateTimeOffset MadeAt { get; init; }

    /// <summary>Not before then.</summary>
    public required DateTimeOffset Due { get; set; }
    public int Tries { get; set; }
    public DateTimeOffset? SentAt { get; set; }

    /// <summary>Why it could not be sent when that was last tried.</summary>
    public string? Problem { get; set; }
}

/// <summary>A file that goes with a mail.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Text">What stands in it.</param>
public sealed record MailAttachment(string Name, string Text);

/// <summary>Something that the workspace keeps of each person, for formulas to ask after.</summary>
public sealed class StoredAttribute
{
    /// <summary>The name in formulas, after <c>user.</c></summary>
    public required string Name { get; init; }
    public required string Label { get; set; }
    public required FieldType Type { get; set; }

    /// <summary>The dataset of whose records it means one, by the key; null where it is a value of its own.</summary>
    public Guid? DatasetId { get; set; }

    /// <summary>People say it of themselves.</summary>
    public bool SetBySelf { get; set; }
}

/// <summary>What a person is in the workspace. Builders and owners are Rostrum's own; the rest is the company's.</summary>
public sealed class Role : IdentityRole<Guid>
{
    public const string Builder = "builder";
    public const string Owner = "owner";

    public required string Label { get; set; }

    /// <summary>Whoever holds it signs in with a second factor.</summary>
    public bool NeedsSecondFactor { get; set; }

    /// <summary>Whoever holds others too may work with the apps in this one alone.</summary>
    public bool CanBeChosen { get; set; }

    /// <summary>What it may do with the workspace. An owner may do everything, whatever stands here.</summary>
    public WorkspacePermissions Permissions { get; set; }

    /// <summary>The apps that it may build, where it may build any; all of them where it names none.</summary>
    public Guid[] BuildsOnly { get; set; } = [];

    /// <summary>What Rostrum's own roles may do until an owner says otherwise.</summary>
    public static WorkspacePermissions UsualPermissions(string name) =>
        name switch
        {
            Owner => WorkspacePermissions.All,
            Builder => WorkspacePermissions.All & ~(WorkspacePermissions.ManagePeople | WorkspacePermissions.ReadAudit),
            _ => WorkspacePermissions.None,
        };
}

/// <summary>One person signed in at one browser: until they sign out there, and not for ever.</summary>
public sealed class SignInSession
{
    public Guid Id { get; init; }
    public required Guid PersonId { get; init; }
    public required DateTimeOffset Started { get; init; }
    public required DateTimeOffset Ends { get; init; }

    /// <summary>What the browser says of itself.</summary>
    public string Device { get; init; } = "";
    public string? RemoteAddress { get; init; }

    /// <summary>When it was last seen, to some minutes.</summary>
    public required DateTimeOffset LastUsed { get; set; }
}

/// <summary>Somebody tried to sign in. It is written down before the password is looked at, and then what came of it.</summary>
public sealed class SignInAttempt
{
    public const string Trying = "trying";
    public const string Refused = "refused";
    public const string SignedIn = "signed in";

    /// <summary>Came within a pause: the password was not looked at.</summary>
    public const string TooSoon = "too soon";

    public long Id { get; init; }
    public Guid? PersonId { get; set; }
    public required string UserName { get; init; }
    public required string Outcome { get; set; }
    public string? RemoteAddress { get; init; }
    public DateTimeOffset At { get; init; }
}
