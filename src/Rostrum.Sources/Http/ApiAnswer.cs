using System.Collections.Immutable;
using System.Text.Json;
using Rostrum.Core.Apis;

namespace Rostrum.Sources.Http;

/// <summary>What an API answered. All texts of it are masked.</summary>
/// <param name="Method">The method of the request.</param>
/// <param name="Address">Its address.</param>
/// <param name="Status">The status.</param>
/// <param name="Headers">The headers of the answer.</param>
/// <param name="Body">Gives the body as text.</param>
/// <param name="Size">Its length in bytes.</param>
/// <param name="Took">How long it took.</param>
public sealed record ApiAnswer(
    string Method,
    string Address,
    int Status,
    ImmutableArray<ApiPair> Headers,
    Func<string> Body,
    long Size,
    TimeSpan Took
)
{
    /// <summary>The body as text.</summary>
    public string Text => Body();

    /// <summary>The body as JSON; null where it is none.</summary>
    public JsonElement? Json { get; init; }

    /// <summary>What is wrong with it; null where nothing is.</summary>
    public SourceFailure? Failure { get; init; }

    /// <summary>The request's own body as it was sent.</summary>
    public string Sent { get; init; } = "";

    /// <summary>A header's value.</summary>
    public string? Header(string name) =>
        Headers.FirstOrDefault(header => header.Name.Equals(name, StringComparison.OrdinalIgnoreCase))?.Value;
}

/// <summary>An API did not do what it was asked.</summary>
internal sealed class ApiException(SourceFailure failure, int status = 0) : Exception(failure.Message)
{
    public SourceFailure Failure => failure;

    /// <summary>The status of its answer; 0 where there was none.</summary>
    public int Status => status;
}
