using System.Text.Json;

namespace Rostrum.Core.Apps.Files;

/// <summary>Reads documents that stand in YAML files of ours.</summary>
public static class YamlDocuments
{
    /// <summary>A document.</summary>
    /// <exception cref="FormatException">The text is no such document.</exception>
    public static T Read<T>(string text)
        where T : class
    {
        var (document, problem, line) = YamlText.Read(text);
        return document is null ? throw new FormatException($"line {line}: {problem}") : document.Json.Deserialize<T>(KindJson.Options)!;
    }
}
