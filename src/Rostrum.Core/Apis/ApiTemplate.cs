using System.Collections.Immutable;
using System.Text;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apis;

/// <summary>Where in a request a template stands: it decides how a value is written there, so that none becomes anything else.</summary>
public enum TemplatePlace
{
    /// <summary>In a path: percent-encoded.</summary>
    Path,

    /// <summary>In a query or a form: as it is, encoded with the whole.</summary>
    Value,

    /// <summary>In a header: a value with a line break is refused.</summary>
    Header,

    /// <summary>In JSON: written as JSON, and within quotes as the inside of a text.</summary>
    Json,
}

/// <summary>Fills templates with the values that a request has.</summary>
/// <param name="shape">The names of the record.</param>
/// <param name="values">Its values, in the order of the shape.</param>
/// <param name="names">The names beside it.</param>
/// <param name="context">The moment, and what the names stand for.</param>
public sealed class ApiTemplates(FormulaShape shape, object?[] values, FormulaNames names, FormulaContext context)
{
    /// <summary>The template's text; or what is wrong with it.</summary>
    public (string Text, string? Problem) Fill(string template, TemplatePlace place)
    {
        ArgumentNullException.ThrowIfNull(template);
        if (!template.Contains("${", StringComparison.Ordinal))
        {
            return (template, null);
        }

        var text = new StringBuilder();
        foreach (var part in Template.Parse(template).Parts)
        {
            if (part is TemplatePart.Literal literal)
            {
                text.Append(literal.Text);
                continue;
            }

            var formula = ((TemplatePart.Formula)part).Parsed;
            var checkedFormula = Checker.Check(formula, shape, names.Types);
            if (checkedFormula.Tree is not { } tree)
            {
                return ("", checkedFormula.Problems[0].Message);
            }

            var value = Compiler.Compile(tree, once: true)(new FormulaRecord(shape, values), context);
            if (Written(value, place, IsInText(text)) is not { } written)
            {
                return ("", $"The value of ${{{formula.Text}}} has a line break in it: a header cannot hold that.");
            }

            text.Append(written);
        }

        return (text.ToString(), null);
    }

    private static string? Written(object? value, TemplatePlace place, bool inText) =>
        place switch
        {
            TemplatePlace.Path => Uri.EscapeDataString(ApiValues.Text(value)),
            TemplatePlace.Header when ApiValues.Text(value) is var header => header.AsSpan().ContainsAny('\r', '\n', '\0') ? null : header,
            TemplatePlace.Json when inText => System.Text.Json.JsonEncodedText.Encode(ApiValues.Text(value)).ToString(),
            TemplatePlace.Json => ApiValues.Json(value)?.ToJsonString() ?? "null",
            _ => ApiValues.Text(value),
        };

    // Whether what comes next stands within the quotes of a JSON text.
    private static bool IsInText(StringBuilder json)
    {
        var inside = false;
        for (var at = 0; at < json.Length; at++)
        {
            if (json[at] == '\\' && inside)
            {
                at++;
            }
            else if (json[at] == '"')
            {
                inside = !inside;
            }
        }

        return inside;
    }
}
