using System.Collections.Immutable;
using Rostrum.Core.Apis;
using Rostrum.Core.Formulas;

namespace Rostrum.Sources.Http;

/// <summary>What the templates of an API's requests can name: its variables, and where secrets may go those as well.</summary>
internal sealed class HttpNames
{
    private readonly FormulaNames _openNames;
    private readonly FormulaNames _secretNames;
    private readonly ImmutableDictionary<string, object?> _open;
    private readonly ImmutableDictionary<string, object?> _secret;

    public HttpNames(ApiSettings api, SourceSettings settings)
    {
        var variables = new FormulaShape(
            "variables",
            [.. api.Variables.Select(pair => KeyValuePair.Create(pair.Name, (FormulaType)new FormulaType.Text()))]
        );
        var secrets = new FormulaShape(
            "secrets",
            [.. settings.Secrets.All.Keys.Select(name => KeyValuePair.Create(name, (FormulaType)new FormulaType.Text()))]
        );
        var open = ImmutableDictionary<string, FormulaType>
            .Empty.WithComparers(StringComparer.OrdinalIgnoreCase)
            .Add("variables", new FormulaType.Record(variables));
        _openNames = new FormulaNames(open);
        _secretNames = new FormulaNames(open.Add("secrets", new FormulaType.Record(secrets)));
        _open = ImmutableDictionary<string, object?>
            .Empty.WithComparers(StringComparer.OrdinalIgnoreCase)
            .Add("variables", new FormulaRecord(variables, [.. api.Variables.Select(pair => (object?)pair.Value)]));
        _secret = _open.Add("secrets", new FormulaRecord(secrets, [.. settings.Secrets.All.Values.Select(value => (object?)value)]));
    }

    /// <summary>Fills templates in which no secret may stand: addresses.</summary>
    public ApiTemplates ForOpen((FormulaShape Shape, object?[] Values) filled) => Templates(filled, _openNames, _open);

    /// <summary>Fills templates in which secrets may stand: headers and bodies.</summary>
    public ApiTemplates ForSecret((FormulaShape Shape, object?[] Values) filled) => Templates(filled, _secretNames, _secret);

    private static ApiTemplates Templates(
        (FormulaShape Shape, object?[] Values) filled,
        FormulaNames names,
        ImmutableDictionary<string, object?> given
    ) => new(filled.Shape, filled.Values, names, new FormulaContext(DateTimeOffset.UtcNow, TimeZoneInfo.Utc) { Given = given });
}

/// <summary>Fills templates, or says why one cannot be.</summary>
internal static class HttpTemplates
{
    extension(ApiTemplates templates)
    {
        public string Text(string template, TemplatePlace place)
        {
            var (text, problem) = templates.Fill(template, place);
            return problem is null ? text : throw new ApiException(new SourceFailure(FailureReason.Other, $"“{template}”: {problem}"));
        }
    }
}
