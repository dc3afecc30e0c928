using System.Text;
using System.Text.Json.Nodes;
using Rostrum.Core.Apis;

namespace Rostrum.Sources.Http;

/// <summary>The body of a request, with its content type.</summary>
internal static class HttpBody
{
    /// <summary>What is sent, made anew each time that it goes, and as a text for people; no content where a request has none.</summary>
    /// <param name="request">The request.</param>
    /// <param name="templates">What its templates are filled with.</param>
    /// <param name="sent">The record that it carries; null where it carries none.</param>
    public static (Func<HttpContent>? Content, string Text) Of(ApiRequest request, ApiTemplates templates, JsonNode? sent)
    {
        Func<HttpContent> Json(string text) => () => new StringContent(text, Encoding.UTF8, "application/json");
        switch (request.Body)
        {
            case ApiBody.Record record:
                var document = record.Under is { Length: > 0 } under ? new JsonObject { [under] = sent?.DeepClone() } : sent;
                var written = document?.ToJsonString() ?? "{}";
                return (Json(written), written);
            case ApiBody.Json json:
                var text = templates.Text(json.Text, TemplatePlace.Json);
                return (Json(text), text);
            case ApiBody.GraphQl graph:
                var variables = new JsonObject();
                foreach (var pair in graph.Variables)
                {
                    variables[pair.Name] = JsonNode.Parse(templates.Text(pair.Value, TemplatePlace.Json));
                }

                var asked = new JsonObject { ["query"] = graph.Query, ["variables"] = variables }.ToJsonString();
                return (Json(asked), asked);
            case ApiBody.Form form:
                var pairs = form
                    .Fields.Select(pair => KeyValuePair.Create(pair.Name, templates.Text(pair.Value, TemplatePlace.Value)))
                    .ToArray();
                return (() => new FormUrlEncodedContent(pairs), string.Join('&', pairs.Select(pair => $"{pair.Key}={pair.Value}")));
            case ApiBody.Parts parts:
                var fields = parts
                    .Fields.Select(pair => KeyValuePair.Create(pair.Name, templates.Text(pair.Value, TemplatePlace.Value)))
                    .ToArray();
                return (
                    () =>
                    {
                        var content = new MultipartFormDataContent();
                        foreach (var (name, value) in fields)
                        {
                            content.Add(new StringContent(value), name);
                        }

                        return content;
                    },
                    string.Join('\n', fields.Select(pair => $"{pair.Key}: {pair.Value}"))
                );
            case ApiBody.Plain plain:
                var said = templates.Text(plain.Text, TemplatePlace.Value);
                return (() => new StringContent(said, Encoding.UTF8, "text/plain"), said);
            default:
                return (null, "");
        }
    }
}
