using System.Collections.Immutable;
using Microsoft.OpenApi.Any;
using Microsoft.OpenApi.Models;
using Microsoft.OpenApi.Readers;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Sources.Http;

/// <summary>Reads the requests that an OpenAPI 3 description has (JSON or YAML), as far as they list and keep records.</summary>
public static class OpenApiReading
{
    private const int MostDepth = 4;
    private const int UsualPage = 25;

    /// <summary>One resource for each path that lists records; or why the text is no description.</summary>
    public static (ImmutableArray<ApiResource> Resources, string? Problem) Read(string text)
    {
        OpenApiDocument document;
        OpenApiDiagnostic diagnostic;
        try
        {
            document = new OpenApiStringReader().Read(text, out diagnostic);
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            return ([], "This is no OpenAPI 3 description.");
        }

        if (document?.Paths is not { Count: > 0 } paths)
        {
            var why = diagnostic.Errors.Count > 0 ? $" {diagnostic.Errors[0].Message}" : "";
            return ([], $"There are no paths in it: this is no OpenAPI 3 description.{why}");
        }

        var found = new List<ApiResource>();
        foreach (var (path, item) in paths)
        {
            if (
                item.Operations.TryGetValue(OperationType.Get, out var get)
                && !path.Contains('{', StringComparison.Ordinal)
                && ListIn(Answer(get), "", 0) is { } list
            )
            {
                found.Add(Resource(path, item, get, list, paths, found));
            }
        }

        return found.Count == 0 ? ([], "No path in it lists records.") : ([.. found], null);
    }

    private static ApiResource Resource(
        string path,
        OpenApiPathItem item,
        OpenApiOperation get,
        (string Pointer, OpenApiSchema Element) list,
        OpenApiPaths paths,
        List<ApiResource> known
    )
    {
        var fields = ImmutableArray.CreateBuilder<ApiField>();
        AddFields(list.Element, "", "", fields, 0);
        var one = paths.FirstOrDefault(other =>
            other.Key.StartsWith(path + "/{", StringComparison.Ordinal)
            && other.Key.Count(letter => letter == '{') == 1
            && other.Key.EndsWith('}')
        );
        var parameter = one.Key?[(path.Length + 2)..^1];
        var key = fields.FirstOrDefault(field => field.Name == parameter) ?? fields.FirstOrDefault(field => field.Name is "id");
        var single = key is null || one.Key is null ? null : $"{path}/${{{Wording.FieldName(key.Name, []).Value}}}";
        ApiRequest? Single(OperationType operation, string method, bool sends) =>
            single is not null && one.Value.Operations.ContainsKey(operation)
                ? new ApiRequest
                {
                    Method = method,
                    Path = single,
                    Body = sends ? new ApiBody.Record() : new ApiBody.None(),
                }
                : null;
        string[] query =
        [
            .. get.Parameters.Concat(item.Parameters).Where(one => one.In is ParameterLocation.Query).Select(one => one.Name),
        ];
        return new ApiResource
        {
            Name = Wording.FieldName(path.Trim('/').Replace('/', '_'), known.Select(other => new FieldName(other.Name))).Value,
            List = new ApiRequest { Method = "GET", Path = path },
            Items = list.Pointer,
            Fields = fields.ToImmutable(),
            Key = key is null ? [] : [key.Name],
            Paging = AnswerReading.Paging(query, UsualPage),
            Filters = fields
                .Where(field => query.Contains(field.Name) || query.Contains(field.Name.Split('.')[0]))
                .ToImmutableSortedDictionary(
                    field => field.Name,
                    field => query.Contains(field.Name) ? field.Name : field.Name.Split('.')[0],
                    StringComparer.Ordinal
                ),
            Order = Order(get.Parameters.Concat(item.Parameters), fields),
            One = Single(OperationType.Get, "GET", sends: false),
            Create = item.Operations.ContainsKey(OperationType.Post)
                ? new ApiRequest
                {
                    Method = "POST",
                    Path = path,
                    Body = new ApiBody.Record(),
                }
                : null,
            Update = Single(OperationType.Patch, "PATCH", sends: true) ?? Single(OperationType.Put, "PUT", sends: true),
            Delete = Single(OperationType.Delete, "DELETE", sends: false),
        };
    }

    // A parameter that lists the fields, each also with a minus before it for the greatest first.
    private static ApiOrder? Order(IEnumerable<OpenApiParameter> parameters, IEnumerable<ApiField> fields)
    {
        var found = parameters
            .Where(parameter => parameter.In is ParameterLocation.Query && parameter.Schema?.Enum is { Count: > 1 })
            .Select(parameter =>
                (parameter.Name, Values: parameter.Schema.Enum.OfType<OpenApiString>().Select(text => text.Value).ToArray())
            )
            .FirstOrDefault(parameter => parameter.Values.Any(value => value.StartsWith('-')));
        var names = fields
            .Where(field => found.Values?.Contains(field.Name) == true && found.Values.Contains("-" + field.Name))
            .ToImmutableSortedDictionary(field => field.Name, field => field.Name, StringComparer.Ordinal);
        return names.IsEmpty ? null : new ApiOrder($"{found.Name}={{field}}", $"{found.Name}=-{{field}}", names);
    }

    private static OpenApiSchema? Answer(OpenApiOperation operation) =>
        operation
            .Responses.Where(response => response.Key is "200" or "2XX" or "default")
            .SelectMany(response => response.Value.Content)
            .Where(content => content.Key.Contains("json", StringComparison.OrdinalIgnoreCase))
            .Select(content => content.Value.Schema)
            .FirstOrDefault();

    private static (string Pointer, OpenApiSchema Element)? ListIn(OpenApiSchema? schema, string pointer, int depth)
    {
        if (schema is null || depth > MostDepth)
        {
            return null;
        }

        if (schema.Type == "array")
        {
            return schema.Items is { Properties.Count: > 0 } element ? (pointer, element) : null;
        }

        return schema
            .Properties.Select(property => ListIn(property.Value, JsonPointer.Into(pointer, property.Key), depth + 1))
            .FirstOrDefault(list => list is not null);
    }

    private static void AddFields(OpenApiSchema schema, string pointer, string name, ImmutableArray<ApiField>.Builder fields, int depth)
    {
        foreach (var (member, property) in schema.Properties)
        {
            var (way, called) = (JsonPointer.Into(pointer, member), name.Length == 0 ? member : $"{name}.{member}");
            if (property.Properties.Count > 0 && depth < MostDepth)
            {
                AddFields(property, way, called, fields, depth + 1);
                continue;
            }

            fields.Add(
                new ApiField(called, way, TypeOf(property), property.Nullable || !schema.Required.Contains(member))
                {
                    ReadOnly = property.ReadOnly,
                    Required = schema.Required.Contains(member) && !property.ReadOnly && depth == 0,
                    Values = property.Enum is { Count: > 0 } options
                        ? new ValueEvidence
                        {
                            Few = [.. options.OfType<Microsoft.OpenApi.Any.OpenApiString>().Select(option => option.Value)],
                            IsShort = true,
                        }
                        : null,
                }
            );
        }
    }

    private static FieldType TypeOf(OpenApiSchema schema) =>
        (schema.Type, schema.Format) switch
        {
            ("integer", _) => new FieldType.Integer(),
            ("number", _) => new FieldType.Number(),
            ("boolean", _) => new FieldType.YesNo(),
            ("string", "date") => new FieldType.Date(),
            ("string", "date-time") => new FieldType.Instant(),
            ("string", "uuid") => new FieldType.Uuid(),
            ("string", _) => new FieldType.Text(),
            _ => new FieldType.Native(),
        };
}
