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
}

/// <summary>Something that the workspace keeps of each person, for formulas to ask after.</summary>
public sealed class StoredAttribute
{
    /// <summary>The name in formulas, after <c>user.</c></summary>
    public required string Name { get; init; }
    public required string Label { get; set; }
    public required FieldType Type { get; set; }
}

/// <summary>What a person is in the workspace. Builders and owners are Rostrum's own; the rest is the company's.</summary>
public sealed class Role : IdentityRole<Guid>
{
    public const string Builder = "builder";
    public const string Owner = "owner";

    public required string Label { get; set; }
}

/// <summary>One person signed in at one browser: until they sign out there, and not for ever.</summary>
public sealed class SignInSession
{
    public Guid Id { get; init; }
    public required Guid PersonId { get; init; }
    public required DateTimeOffset Started { get; init; }
    public required DateTimeOffset Ends { get; init; }
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
