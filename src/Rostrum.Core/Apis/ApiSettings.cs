namespace Rostrum.Core.Apis;

/// <summary>How an API is reached: what is said once for all its requests.</summary>
public sealed record ApiSettings
{
    /// <summary>The address under which all paths stand.</summary>
    public required string Address { get; init; }

    /// <summary>How requests show who asks.</summary>
    public ApiSignIn SignIn { get; init; } = new ApiSignIn.None();

    /// <summary>Headers for all requests.</summary>
    public System.Collections.Immutable.ImmutableArray<ApiPair> Headers { get; init; } = [];

    /// <summary>Names for values that many requests use, as <c>variables.name</c>.</summary>
    public System.Collections.Immutable.ImmutableArray<ApiPair> Variables { get; init; } = [];
}

/// <summary>How requests show who asks. The secret itself is kept apart.</summary>
public abstract record ApiSignIn
{
    private ApiSignIn() { }

    /// <summary>They do not.</summary>
    public sealed record None : ApiSignIn;

    /// <summary>A user and a password with each request (RFC 7617).</summary>
    public sealed record Basic(string User) : ApiSignIn;

    /// <summary>A token with each request (RFC 6750).</summary>
    public sealed record Bearer : ApiSignIn;

    /// <summary>A key in a header or in the query.</summary>
    public sealed record Key(string Name, bool InQuery) : ApiSignIn;

    /// <summary>A token that an authorization server gives for the client's own secret (RFC 6749, 4.4).</summary>
    public sealed record ClientCredentials(string TokenAddress, string ClientId, string? Scope) : ApiSignIn;

    /// <summary>A token that the API gives for a user and a password.</summary>
    /// <param name="Path">Where it is asked for, with POST.</param>
    /// <param name="User">The user.</param>
    /// <param name="Body">What is sent: a JSON template with the names <c>user</c> and <c>password</c>.</param>
    /// <param name="Pointer">Where in the answer the token stands.</param>
    /// <param name="Lifetime">Where in the answer it stands for how many seconds it is good; null where it does not.</param>
    public sealed record Token(string Path, string User, string Body, string Pointer, string? Lifetime) : ApiSignIn;
}
