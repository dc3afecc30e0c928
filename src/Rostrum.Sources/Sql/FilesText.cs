using Rostrum.Core.Datasets;

namespace Rostrum.Sources.Sql;

/// <summary>Lists of files as the text that databases keep of them: JSON.</summary>
internal static class FilesText
{
    private static readonly FieldType Type = new FieldType.Files();

    /// <summary>The files; null where the text is no list of files, or an empty one.</summary>
    public static object? Read(string text) => (FieldText.FromCanonical(Type, text) as Parsed.Value)?.Is;

    public static string Write(object value) => FieldText.ToCanonical(Type, value);
}
