using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Core.Datasets;

/// <summary>What a member of a JSON object holds.</summary>
public enum JsonKind
{
    /// <summary>A text.</summary>
    Text,

    /// <summary>A day, as ISO 8601 has it.</summary>
    Date,

    /// <summary>A number.</summary>
    Number,

    /// <summary>A whole number.</summary>
    Integer,

    /// <summary>True or false.</summary>
    YesNo,

    /// <summary>One of some texts.</summary>
    Choice,

    /// <summary>Several texts.</summary>
    Texts,

    /// <summary>An object with members of its own.</summary>
    Object,

    /// <summary>Any JSON.</summary>
    Any,
}

/// <summary>A member of a JSON object.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Label">What people read.</param>
/// <param name="Kind">What it holds.</param>
/// <param name="Required">It has to be there.</param>
/// <param name="Options">The texts from which one is chosen.</param>
/// <param name="Members">The members of an object.</param>
public sealed record JsonMember(
    string Name,
    string Label,
    JsonKind Kind,
    bool Required,
    ImmutableArray<string> Options,
    ImmutableArray<JsonMember> Members
);

/// <summary>
/// Which members a JSON object has, so that it can be filled in as a form: the part of JSON Schema (draft 2020-12) that says so, which is
/// <c>type</c>, <c>properties</c>, <c>required</c>, <c>enum</c> of texts, <c>format: date</c>, <c>title</c>, and <c>items</c> of texts.
/// Other keywords are passed over; members that it does not name are allowed.
/// </summary>
/// <param name="Members">The members, in order.</param>
public sealed record JsonSchema(ImmutableArray<JsonMember> Members)
{
    private const int Deepest = 5;
    private const int MostOptions = 8;

    /// <summary>Reads a schema; or says what is wrong with it.</summary>
    public static (JsonSchema? Shape, string? Problem) Read(string schema)
    {
        try
        {
            return
                JsonNode.Parse(schema) is JsonObject root
                && TypeOf(root) == "object"
                && MembersOf(root, Deepest) is { IsDefaultOrEmpty: false } members
                ? (new JsonSchema(members), null)
                : (null, "A shape is a JSON Schema of an object with properties.");
        }
        catch (Exception exception) when (exception is JsonException or InvalidOperationException or ArgumentException)
        {
            return (null, $"The shape is not a JSON Schema: {exception.Message}");
        }
    }

    /// <summary>The schema of what some objects have in common; null where none of the texts is an object.</summary>
    /// <param name="samples">JSON texts.</param>
    public static string? SchemaOf(IEnumerable<string> samples)
    {
        ArgumentNullException.ThrowIfNull(samples);
        JsonObject[] objects = [.. samples.Select(Parsed).OfType<JsonObject>()];
        return objects.Length == 0 ? null : SchemaOf(objects, Deepest).ToJsonString(new JsonSerializerOptions { WriteIndented = true });
    }

    /// <summary>What is wrong with a value; null where nothing is.</summary>
    /// <param name="json">A JSON text.</param>
    public string? Problem(string json) =>
        Parsed(json) is not JsonObject value ? "This is not a JSON object." : Problem(Members, value, "");

    private static string? Problem(ImmutableArray<JsonMember> members, JsonObject value, string before)
    {
        foreach (var member in members)
        {
            var label = before + member.Label;
            var problem = value[member.Name] switch
            {
                null => member.Required ? $"“{label}” is missing." : null,
                JsonObject inner when member.Kind is JsonKind.Object => Problem(member.Members, inner, $"{label}, "),
                var one when !Holds(member, one) => $"“{label}” is no {WordOf(member)}.",
                _ => null,
            };
            if (problem is not null)
            {
                return problem;
            }
        }

        return null;
    }

    private static bool Holds(JsonMember member, JsonNode value) =>
        member.Kind switch
        {
            JsonKind.Any => true,
            JsonKind.Object => value is JsonObject,
            JsonKind.Texts => value is JsonArray list && list.All(one => one?.GetValueKind() is JsonValueKind.String),
            JsonKind.YesNo => value.GetValueKind() is JsonValueKind.True or JsonValueKind.False,
            JsonKind.Number => value.GetValueKind() is JsonValueKind.Number,
            JsonKind.Integer => value.GetValueKind() is JsonValueKind.Number && value.AsValue().TryGetValue<long>(out _),
            _ when value.GetValueKind() is not JsonValueKind.String => false,
            JsonKind.Choice => member.Options.Contains(value.GetValue<string>()),
            JsonKind.Date => IsDay(value.GetValue<string>()),
            _ => true,
        };

    private static bool IsDay(string text) =>
        DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out _);

    private static string WordOf(JsonMember member) =>
        member.Kind switch
        {
            JsonKind.Choice => $"choice of {string.Join(", ", member.Options)}",
            JsonKind.YesNo => "yes or no",
            JsonKind.Integer => "whole number",
            JsonKind.Number => "number",
            JsonKind.Date => "date",
            JsonKind.Texts => "list of texts",
            JsonKind.Object => "object",
            _ => "text",
        };

    private static ImmutableArray<JsonMember> MembersOf(JsonObject schema, int deep)
    {
        var required = (schema["required"] as JsonArray)?.Select(one => one!.GetValue<string>()).ToHashSet() ?? [];
        return
        [
            .. (schema["properties"] as JsonObject ?? []).Select(pair =>
                MemberOf(pair.Key, pair.Value as JsonObject ?? [], required.Contains(pair.Key), deep)
            ),
        ];
    }

    private static JsonMember MemberOf(string name, JsonObject schema, bool required, int deep)
    {
        ImmutableArray<string> options =
            schema["enum"] is JsonArray all && all.All(one => one?.GetValueKind() is JsonValueKind.String)
                ? [.. all.Select(one => one!.GetValue<string>())]
                : [];
        var kind = (TypeOf(schema), options.IsEmpty) switch
        {
            (_, false) => JsonKind.Choice,
            ("string", _) => schema["format"]?.ToString() == "date" ? JsonKind.Date : JsonKind.Text,
            ("number", _) => JsonKind.Number,
            ("integer", _) => JsonKind.Integer,
            ("boolean", _) => JsonKind.YesNo,
            ("array", _) when schema["items"] is JsonObject items && TypeOf(items) == "string" => JsonKind.Texts,
            ("object", _) when deep > 1 && schema["properties"] is JsonObject => JsonKind.Object,
            _ => JsonKind.Any,
        };
        var label = schema["title"]?.GetValueKind() is JsonValueKind.String ? schema["title"]!.GetValue<string>() : Wording.Label(name);
        return new JsonMember(name, label, kind, required, options, kind is JsonKind.Object ? MembersOf(schema, deep - 1) : []);
    }

    private static string? TypeOf(JsonObject schema) =>
        schema["type"]?.GetValueKind() is JsonValueKind.String ? schema["type"]!.GetValue<string>() : null;

    private static JsonObject SchemaOf(JsonObject[] objects, int deep)
    {
        var properties = new JsonObject();
        foreach (var name in objects.SelectMany(one => one.Select(pair => pair.Key)).Distinct())
        {
            properties[name] = SchemaOf([.. objects.Select(one => one[name]).OfType<JsonNode>()], deep);
        }

        var schema = new JsonObject { ["type"] = "object", ["properties"] = properties };
        string[] always = [.. properties.Select(pair => pair.Key).Where(name => objects.All(one => one[name] is not null))];
        if (always.Length > 0)
        {
            schema["required"] = new JsonArray([.. always.Select(name => (JsonNode)name)]);
        }

        return schema;
    }

    private static JsonObject SchemaOf(JsonNode[] values, int deep)
    {
        bool All(params JsonValueKind[] kinds) => values.Length > 0 && values.All(value => kinds.Contains(value.GetValueKind()));
        if (All(JsonValueKind.Object))
        {
            return deep > 1 ? SchemaOf([.. values.Cast<JsonObject>()], deep - 1) : new JsonObject { ["type"] = "object" };
        }

        if (All(JsonValueKind.Array))
        {
            var areTexts = values.Cast<JsonArray>().All(list => list.All(one => one?.GetValueKind() is JsonValueKind.String));
            return areTexts
                ? new JsonObject
                {
                    ["type"] = "array",
                    ["items"] = new JsonObject { ["type"] = "string" },
                }
                : new JsonObject { ["type"] = "array" };
        }

        if (All(JsonValueKind.Number))
        {
            return new JsonObject { ["type"] = values.All(value => value.AsValue().TryGetValue<long>(out _)) ? "integer" : "number" };
        }

        if (All(JsonValueKind.True, JsonValueKind.False))
        {
            return new JsonObject { ["type"] = "boolean" };
        }

        return All(JsonValueKind.String) ? SchemaOfTexts([.. values.Select(value => value.GetValue<string>())]) : [];
    }

    // Few texts that come again and again are choices.
    private static JsonObject SchemaOfTexts(string[] texts)
    {
        var schema = new JsonObject { ["type"] = "string" };
        string[] different = [.. texts.Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal)];
        if (texts.All(IsDay))
        {
            schema["format"] = "date";
        }
        else if (different.Length is > 1 and <= MostOptions && texts.Length >= different.Length * 3)
        {
            schema["enum"] = new JsonArray([.. different.Select(text => (JsonNode)text)]);
        }

        return schema;
    }

    private static JsonNode? Parsed(string json)
    {
        try
        {
            return JsonNode.Parse(json);
        }
        catch (JsonException)
        {
            return null;
        }
    }
}
