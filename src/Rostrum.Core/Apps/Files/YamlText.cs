using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace Rostrum.Core.Apps.Files;

/// <summary>A JSON document as YAML (1.2, its JSON schema), and back. The lines of what is read are remembered.</summary>
internal static partial class YamlText
{
    private const int LongestInline = 100;

    /// <summary>The document as YAML: mappings in their own order, short lists on one line, texts of several lines as blocks.</summary>
    public static string Write(JsonNode document)
    {
        using var text = new StringWriter(CultureInfo.InvariantCulture) { NewLine = "\n" };
        new YamlStream(new YamlDocument(Node(document))).Save(
            new Emitter(text, new EmitterSettings(2, int.MaxValue, isCanonical: false, maxSimpleKeyLength: 1024)),
            assignAnchors: false
        );
        var written = text.ToString().ReplaceLineEndings("\n");
        // The emitter ends a document with a mark of its own.
        return written.EndsWith("...\n", StringComparison.Ordinal) ? written[..^4] : written;
    }

    /// <summary>Reads YAML.</summary>
    /// <returns>The document with its lines, or what is wrong and in which line.</returns>
    public static (YamlDocumentText? Document, string? Problem, int Line) Read(string text)
    {
        var parser = new Parser(new StringReader(text));
        try
        {
            var stream = new YamlStream();
            stream.Load(parser);
            return stream.Documents is [{ RootNode: YamlMappingNode root }]
                ? (new YamlDocumentText(Json(root)!, root), null, 1)
                : (null, "This file should hold one mapping.", 1);
        }
        catch (YamlException exception)
        {
            return (null, exception.InnerException?.Message ?? exception.Message, (int)Math.Max(1, exception.Start.Line));
        }
        catch (FormatException exception)
        {
            return (null, exception.Message, 1);
        }
        catch (Exception exception) when (exception is InvalidOperationException or ArgumentException or IndexOutOfRangeException)
        {
            // Of some texts the parser does not say itself what is wrong with them.
            return (null, "From here on this is not YAML.", (int)Math.Max(1, parser.Current?.End.Line ?? 1));
        }
    }

    private static YamlNode Node(JsonNode? node) =>
        node switch
        {
            null => new YamlScalarNode("null"),
            JsonObject mapping => new YamlMappingNode(
                mapping.Select(pair => KeyValuePair.Create<YamlNode, YamlNode>(Text(pair.Key), Node(pair.Value)))
            ),
            JsonArray list => Sequence(list),
            JsonValue value when value.GetValueKind() == JsonValueKind.String => Text(value.GetValue<string>()),
            _ => new YamlScalarNode(node.ToJsonString()),
        };

    private static YamlSequenceNode Sequence(JsonArray list)
    {
        var nodes = list.Select(Node).ToArray();
        var inline =
            nodes.All(node => node is YamlScalarNode { Style: not ScalarStyle.Literal })
            && nodes.Sum(node => ((YamlScalarNode)node).Value!.Length + 4) <= LongestInline;
        return new YamlSequenceNode(nodes)
        {
            Style = inline ? YamlDotNet.Core.Events.SequenceStyle.Flow : YamlDotNet.Core.Events.SequenceStyle.Block,
        };
    }

    private static YamlScalarNode Text(string text) =>
        new(text)
        {
            Style =
                IsBlock(text) ? ScalarStyle.Literal
                : text.Length == 0
                || Resolved(text) is not JsonValue known
                || known.GetValueKind() != JsonValueKind.String
                || !IsPlain(text)
                    ? ScalarStyle.DoubleQuoted
                : ScalarStyle.Any,
        };

    private static JsonNode? Json(YamlNode node) =>
        node switch
        {
            YamlMappingNode mapping => new JsonObject(
                mapping.Children.Select(pair => KeyValuePair.Create(Key(pair.Key), Json(pair.Value)))
            ),
            YamlSequenceNode list => new JsonArray([.. list.Children.Select(Json)]),
            YamlScalarNode { Style: ScalarStyle.Plain } scalar => Resolved(scalar.Value ?? ""),
            YamlScalarNode scalar => JsonValue.Create(scalar.Value),
            _ => throw new FormatException("This file refers to parts of itself, which is not understood here."),
        };

    private static string Key(YamlNode key) =>
        (key as YamlScalarNode)?.Value ?? throw new FormatException("A mapping's names should be texts.");

    // What a text without quotes stands for.
    private static JsonNode? Resolved(string text) =>
        text switch
        {
            "" or "null" or "~" => null,
            "true" => JsonValue.Create(true),
            "false" => JsonValue.Create(false),
            _ when Number().IsMatch(text) => JsonNode.Parse(text),
            _ => JsonValue.Create(text),
        };

    [GeneratedRegex(@"^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?\z", RegexOptions.ExplicitCapture, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Number();

    // It begins with what cannot be taken for something else, and holds nothing that cannot be seen.
    private static bool IsPlain(string text) =>
        (char.IsLetterOrDigit(text[0]) || text[0] is '=' or '(' or '/')
        && !text.Contains('#', StringComparison.Ordinal)
        && !text.Any(char.IsControl);

    // A block keeps lines as they are, unless one begins or ends with blanks, or there are marks in it that cannot be seen.
    private static bool IsBlock(string text) =>
        text.Contains('\n', StringComparison.Ordinal)
        && text[^1] != '\n'
        && text.Split('\n')
            .All(line => line.Length == 0 || (!char.IsWhiteSpace(line[0]) && !char.IsWhiteSpace(line[^1]) && !line.Any(char.IsControl)));
}

/// <summary>A document that was read from YAML, and where in the file its parts are.</summary>
internal sealed class YamlDocumentText(JsonNode json, YamlNode root)
{
    public JsonNode Json => json;

    /// <summary>The line of a part, by a path such as <c>$.panels[0].width</c>; that of the last step that is there.</summary>
    public int LineOf(string path)
    {
        var (node, line) = (root, 1);
        foreach (var step in path.TrimStart('$').Split(['.', '[', ']'], StringSplitOptions.RemoveEmptyEntries))
        {
            var (key, next) = Step(node, step);
            if (next is null)
            {
                break;
            }

            (node, line) = (next, (int)(key ?? next).Start.Line);
        }

        return line;
    }

    private static (YamlNode? Key, YamlNode? Value) Step(YamlNode node, string step) =>
        node switch
        {
            YamlMappingNode mapping
                when mapping.Children.FirstOrDefault(pair => (pair.Key as YamlScalarNode)?.Value == step)
                    is { Key: { } key, Value: var value } => (key, value),
            YamlSequenceNode list
                when int.TryParse(step, NumberStyles.None, CultureInfo.InvariantCulture, out var at) && at < list.Children.Count => (
                null,
                list.Children[at]
            ),
            _ => (null, null),
        };
}
