using System.Text.Json.Nodes;
using Rostrum.Core.Apis;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Http;

/// <summary>A request as it is sent once.</summary>
/// <param name="Request">The request.</param>
internal sealed record ApiCall(ApiRequest Request)
{
    /// <summary>The record that its templates have, as names and values.</summary>
    public (FormulaShape Shape, object?[] Values) Filled { get; init; } = (new FormulaShape("request", []), []);

    /// <summary>Query parameters beside its own.</summary>
    public IEnumerable<KeyValuePair<string, string>> Query { get; init; } = [];

    /// <summary>The body that stands for the record's fields.</summary>
    public JsonNode? Sent { get; init; }

    /// <summary>The whole address in the place of the request's, where an answer gave it.</summary>
    public string? Address { get; init; }

    /// <summary>The entity tag of the answer that is known; null where none is.</summary>
    public string? Etag { get; init; }
}
