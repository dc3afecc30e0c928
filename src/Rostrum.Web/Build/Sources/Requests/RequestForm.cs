using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Sources.Http;

namespace Rostrum.Web.Build.Sources.Requests;

/// <summary>A resource as it stands in a form, and back.</summary>
internal static class RequestForm
{
    private const int LongestName = 60;

    private static readonly (FieldType Type, string Label)[] Labelled =
    [
        (new FieldType.Text(), "text"),
        (new FieldType.Integer(), "whole number"),
        (new FieldType.Number(), "number"),
        (new FieldType.YesNo(), "yes or no"),
        (new FieldType.Date(), "date"),
        (new FieldType.Time(), "time"),
        (new FieldType.Instant(), "date and time"),
        (new FieldType.LocalDateTime(), "date and time, no zone"),
        (new FieldType.Uuid(), "UUID"),
        (new FieldType.Native(), "JSON"),
    ];

    /// <summary>The types that an API's values can have, by their names in the form.</summary>
    public static ImmutableArray<(string Name, FieldType Type, string Label)> Types { get; } =
    [.. Labelled.Select(type => (KindJson.NameOf(type.Type.GetType()), type.Type, type.Label))];

    public static readonly string[] Methods = ["GET", "POST", "PUT", "PATCH", "DELETE"];

    /// <summary>The further requests of a resource: their keys in the form, their labels and their usual methods.</summary>
    public static readonly (string Key, string Label, string Method, Func<ApiResource, ApiRequest?> Of)[] Further =
    [
        ("One", "Read one", "GET", resource => resource.One),
        ("Create", "Create", "POST", resource => resource.Create),
        ("Update", "Update", "PATCH", resource => resource.Update),
        ("Delete", "Delete", "DELETE", resource => resource.Delete),
    ];

    /// <summary>Names and values as lines.</summary>
    public static string Lines(ImmutableArray<ApiPair> pairs) => string.Join('\n', pairs.Select(pair => $"{pair.Name}: {pair.Value}"));

    /// <summary>The request that lists.</summary>
    public static ApiRequest Listing(IFormCollection form)
    {
        string Text(string key) => form[key].ToString().Trim();
        var body = form["Body"].ToString().Replace("\r\n", "\n", StringComparison.Ordinal);
        return new ApiRequest
        {
            Method = Methods.Contains(Text("Method")) ? Text("Method") : "GET",
            Path = Text("Path"),
            Query = ApiTrying.Pairs(Text("Query")),
            Headers = ApiTrying.Pairs(Text("Headers")),
            Body = Text("BodyKind") switch
            {
                "json" => new ApiBody.Json(body),
                "form" => new ApiBody.Form(ApiTrying.Pairs(body)),
                "parts" => new ApiBody.Parts(ApiTrying.Pairs(body)),
                "plain" => new ApiBody.Plain(body),
                "graphQl" => new ApiBody.GraphQl(body, ApiTrying.Pairs(Text("GraphVariables"))),
                _ => new ApiBody.None(),
            },
        };
    }

    /// <summary>The body's text in the form.</summary>
    public static string BodyText(ApiBody body) =>
        body switch
        {
            ApiBody.Json json => json.Text,
            ApiBody.Form form => Lines(form.Fields),
            ApiBody.Parts parts => Lines(parts.Fields),
            ApiBody.Plain plain => plain.Text,
            ApiBody.GraphQl graph => graph.Query,
            _ => "",
        };

    /// <summary>The resource that a form describes, and what is wrong with it.</summary>
    public static (ApiResource Resource, string? Problem) Read(IFormCollection form)
    {
        string Text(string key) => form[key].ToString().Trim();
        int Number(string key, int usual) =>
            int.TryParse(Text(key), NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : usual;
        var size = Math.Clamp(Number("PageSize", 25), 1, 1000);
        string? Blank(string key) => Text(key) is { Length: > 0 } text ? text : null;
        var fields = ImmutableArray.CreateBuilder<ApiField>();
        var filters = ImmutableSortedDictionary.CreateBuilder<string, string>(StringComparer.Ordinal);
        var ordered = ImmutableSortedDictionary.CreateBuilder<string, string>(StringComparer.Ordinal);
        var key = ImmutableArray.CreateBuilder<string>();
        for (var at = 0; form.ContainsKey($"field.{at}"); at++)
        {
            var name = Text($"field.{at}");
            var type = Types.FirstOrDefault(type => type.Name == Text($"type.{at}")) is { Type: { } chosen }
                ? chosen
                : new FieldType.Text();
            fields.Add(
                new ApiField(name, Text($"pointer.{at}"), type, form.ContainsKey($"nullable.{at}"))
                {
                    AsText = form.ContainsKey($"text.{at}"),
                    Required = form.ContainsKey($"required.{at}"),
                    ReadOnly = form.ContainsKey($"readonly.{at}"),
                    Values = KindJson.Read<Core.Datasets.Drafting.ValueEvidence>(form[$"values.{at}"]),
                }
            );
            if (Text($"filter.{at}") is { Length: > 0 } parameter)
            {
                filters.Add(name, parameter);
            }

            if (Text($"order.{at}") is { Length: > 0 } ordering)
            {
                ordered.Add(name, ordering);
            }

            if (form.ContainsKey($"key.{at}"))
            {
                key.Add(name);
            }
        }

        ApiRequest? Request(string which, string usual) =>
            Text($"{which}.Path") is { Length: > 0 } path
                ? new ApiRequest
                {
                    Method = Methods.Contains(Text($"{which}.Method")) ? Text($"{which}.Method") : usual,
                    Path = path,
                    Body = which is "Create" or "Update" ? new ApiBody.Record(Blank("Under")) : new ApiBody.None(),
                }
                : null;
        var resource = new ApiResource
        {
            Name = Text("Name"),
            List = Listing(form),
            Items = Text("Items"),
            Item = Text("Item"),
            Total = Blank("Total"),
            Paging = Text("Paging") switch
            {
                "number" => new ApiPaging.Number(Text("PageParameter"), Number("FirstPage", 1), Blank("SizeParameter"), size),
                "offset" => new ApiPaging.Offset(Text("PageParameter"), Blank("SizeParameter"), size),
                "cursor" => new ApiPaging.Cursor(Text("PageParameter"), Text("PagePointer")),
                "next" => new ApiPaging.Next(Text("PagePointer")),
                "link" => new ApiPaging.Link(),
                _ => new ApiPaging.None(),
            },
            Fields = fields.ToImmutable(),
            Key = key.ToImmutable(),
            Filters = filters.ToImmutable(),
            Order = ordered.Count > 0 ? new ApiOrder(Text("Ascending"), Text("Descending"), ordered.ToImmutable()) : null,
            KeptSeconds = Math.Clamp(Number("KeptSeconds", 0), 0, 86_400),
            One = Request("One", "GET"),
            Create = Request("Create", "POST"),
            Update = Request("Update", "PATCH"),
            Delete = Request("Delete", "DELETE"),
        };
        return (resource, Problem(resource));
    }

    private static string? Problem(ApiResource resource) =>
        resource.Name.Length is 0 or > LongestName || !resource.Name.All(letter => char.IsLetterOrDigit(letter) || letter is '_' or '-')
            ? "Give the table a name of letters, digits, - and _."
        : resource.Fields.IsEmpty ? "Send the request first, so that it is known what the records hold."
        : resource.Key.IsEmpty && (resource.One ?? resource.Create ?? resource.Update ?? resource.Delete) is not null
            ? "Tick the field that names a record: without a key no single one can be read or written."
        : resource.Order is { Ascending: "" } or { Descending: "" }
            ? "Write how the API is asked for an order, such as sort={field} and sort=-{field}; or leave the names in the order blank."
        : resource.Paging is ApiPaging.Number { Parameter: "" } or ApiPaging.Offset { Parameter: "" } or ApiPaging.Cursor { Parameter: "" }
            ? "Write the parameter by which pages are asked for."
        : resource.Paging is ApiPaging.Cursor { Pointer: "" } or ApiPaging.Next { Pointer: "" }
            ? "Write where in the answer the next page stands."
        : null;
}
