using System.Collections.Immutable;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;

namespace Rostrum.Core.Formulas;

/// <summary>
/// Answers one line of text with one JSON object: the line is a formula, or a JSON object <c>{"formula": …, "record": {…}}</c>.
/// </summary>
/// <remarks>Numbers are JSON numbers, texts strings, dates and times ISO 8601 strings, a blank null. Names that the record does not have
/// are problems.</remarks>
public static class FormulaLine
{
    private static readonly JsonWriterOptions Writing = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };
    private static readonly JsonDocumentOptions Reading = new() { MaxDepth = 64 };

    /// <summary>The answer.</summary>
    public static string Answer(string line, FormulaContext context)
    {
        ArgumentNullException.ThrowIfNull(line);
        if (!line.TrimStart().StartsWith('{'))
        {
            return Evaluate(line, new FormulaShape("record", []), [], context);
        }

        try
        {
            using var document = JsonDocument.Parse(line, Reading);
            if (!document.RootElement.TryGetProperty("formula", out var formula) || formula.ValueKind is not JsonValueKind.String)
            {
                return Write(null, null, [new FormulaProblem(new Span(0, line.Length), "This line has no “formula” with a text.")]);
            }

            var (type, value) =
                document.RootElement.TryGetProperty("record", out var record) && record.ValueKind is JsonValueKind.Object
                    ? Import(record)
                    : Import(default);
            return type is FormulaType.Record { Shape: var shape } && value is FormulaRecord known
                ? Evaluate(
                    formula.GetString()!,
                    shape,
                    [.. Enumerable.Range(0, shape.Members.Length).Select(index => known[index])],
                    context
                )
                : Evaluate(formula.GetString()!, new FormulaShape("record", []), [], context);
        }
        catch (JsonException)
        {
            return Write(null, null, [new FormulaProblem(new Span(0, line.Length), "This line begins like JSON, and is none.")]);
        }
        catch (InvalidOperationException)
        {
            return Write(null, null, [new FormulaProblem(new Span(0, line.Length), "This line has a text in it that is no Unicode.")]);
        }
    }

    private static string Evaluate(string text, FormulaShape shape, object?[] values, FormulaContext context)
    {
        var formula = Checker.Check(Parser.Parse(text), shape);
        return formula.Tree is { } tree
            ? Write(Compiler.Compile(tree, once: true)(new FormulaRecord(shape, values), context), tree.Type, [])
            : Write(null, null, formula.Problems);
    }

    private static (FormulaType Type, object? Value) Import(JsonElement element)
    {
        switch (element.ValueKind)
        {
            case JsonValueKind.String:
                return (new FormulaType.Text(), element.GetString());
            case JsonValueKind.Number:
                return (new FormulaType.Number(), element.TryGetDecimal(out var number) ? number : null);
            case JsonValueKind.True or JsonValueKind.False:
                return (new FormulaType.Boolean(), element.GetBoolean());
            case JsonValueKind.Object:
                var members = element.EnumerateObject().Select(member => (member.Name, Read: Import(member.Value))).ToArray();
                var shape = new FormulaShape("record", members.Select(member => KeyValuePair.Create(member.Name, member.Read.Type)));
                return (new FormulaType.Record(shape), new FormulaRecord(shape, [.. members.Select(member => member.Read.Value)]));
            case JsonValueKind.Array:
                return ImportList([.. element.EnumerateArray()]);
            default:
                return (new FormulaType.Blank(), null);
        }
    }

    // The records of a list have the names of all of them; a name with values of two types is only ever blank.
    private static (FormulaType Type, object? Value) ImportList(JsonElement[] elements)
    {
        var read = elements.Select(Import).ToArray();
        if (!read.Any(element => element.Type is FormulaType.Record))
        {
            var type = read.Aggregate((FormulaType?)new FormulaType.Blank(), (common, element) =>
                common is null ? null : FormulaType.Common(common, element.Type)
            );
            return type is null
                ? (new FormulaType.Blank(), null)
                : (new FormulaType.List(type), read.Select(element => element.Value).ToArray());
        }

        var records = read.Select(element => element.Value).OfType<FormulaRecord>().ToArray();
        var shape = new FormulaShape(
            "record",
            records
                .SelectMany(record => record.Shape.Members)
                .GroupBy(member => member.Key, StringComparer.OrdinalIgnoreCase)
                .Select(group =>
                    KeyValuePair.Create(
                        group.Key,
                        group
                            .Select(member => member.Value)
                            .Aggregate((FormulaType?)new FormulaType.Blank(), (common, type) =>
                                common is null ? null : FormulaType.Common(common, type)
                            )
                            ?? new FormulaType.Blank()
                    )
                )
        );
        return (
            new FormulaType.List(new FormulaType.Record(shape)),
            records
                .Select(record => new FormulaRecord(
                    shape,
                    [
                        .. shape.Members.Select(member =>
                            member.Value is FormulaType.Blank || record.Shape.IndexOf(member.Key) is not (>= 0 and var index)
                                ? null
                                : record[index]
                        ),
                    ]
                ))
                .ToArray()
        );
    }

    private static string Write(object? value, FormulaType? type, ImmutableArray<FormulaProblem> problems)
    {
        using var stream = new MemoryStream();
        using (var json = new Utf8JsonWriter(stream, Writing))
        {
            json.WriteStartObject();
            json.WritePropertyName("value");
            WriteValue(json, value);
            json.WriteString("type", type?.Word);
            json.WriteStartArray("problems");
            foreach (var problem in problems)
            {
                json.WriteStartObject();
                json.WriteNumber("start", problem.Span.Start);
                json.WriteNumber("length", problem.Span.Length);
                json.WriteString("message", problem.Message);
                if (problem.Correction is { Length: < 1000 } correction)
                {
                    json.WriteString("correction", correction);
                }

                json.WriteEndObject();
            }

            json.WriteEndArray();
            json.WriteEndObject();
        }

        return Encoding.UTF8.GetString(stream.GetBuffer().AsSpan(0, (int)stream.Length));
    }

    private static void WriteValue(Utf8JsonWriter json, object? value)
    {
        switch (value)
        {
            case null:
                json.WriteNullValue();
                break;
            case decimal number:
                json.WriteRawValue(Conversions.Plain(number));
                break;
            case bool yes:
                json.WriteBooleanValue(yes);
                break;
            case JsonElement element:
                element.WriteTo(json);
                break;
            case IReadOnlyList<object?> list:
                json.WriteStartArray();
                foreach (var element in list)
                {
                    WriteValue(json, element);
                }

                json.WriteEndArray();
                break;
            case FormulaRecord record:
                json.WriteStartObject();
                for (var i = 0; i < record.Shape.Members.Length; i++)
                {
                    json.WritePropertyName(record.Shape.Members[i].Key);
                    WriteValue(json, record[i]);
                }

                json.WriteEndObject();
                break;
            default:
                json.WriteStringValue(Conversions.AsText(value));
                break;
        }
    }
}
