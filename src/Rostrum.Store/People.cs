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

/// <summary>Somebody tried to sign in.</summary>
public sealed class SignInAttempt
{
    public long Id { get; init; }
    public Guid? PersonId { get; init; }
    public required string UserName { get; init; }
    public required string Outcome { get; init; }
    public string? RemoteAddress { get; init; }
    public DateTimeOffset At { get; init; }
}
