using System.Collections.Immutable;
using Rostrum.Core.Access.SignIn;

namespace Rostrum.Store;

/// <summary>A service outside Rostrum by which people sign in.</summary>
public sealed class SignInProvider
{
    /// <summary>The name in addresses.</summary>
    public required string Name { get; init; }

    /// <summary>What people read on the button.</summary>
    public required string Label { get; set; }

    public bool IsOn { get; set; }

    /// <summary>Whoever it knows is made a person at the first sign-in; otherwise only those who are known or invited come in.</summary>
    public bool MakesPeople { get; set; }

    /// <summary>It asks for a second factor itself, so that Rostrum does not.</summary>
    public bool ChecksSecondFactor { get; set; }

    public required ProviderSettings Settings { get; set; }

    /// <summary>The client's secret, or the password of whoever looks for people.</summary>
    public required string ProtectedSecret { get; set; }

    public ImmutableArray<ClaimRule> Rules { get; set; } = [];

    /// <summary>Each change has the next, so that no node goes on with settings of before.</summary>
    public int Revision { get; set; }

    /// <summary>Why somebody could not sign in by it when that last happened through a fault of the service or of its settings.</summary>
    public string? Failure { get; set; }
    public DateTimeOffset? FailedAt { get; set; }
}
