using System.Text.Json;

namespace Rostrum.Core.Apps.Settings;

/// <summary>The words of a closed set as they stand in documents and forms: <c>comfortable</c> for <c>Comfortable</c>.</summary>
public static class Words
{
    /// <summary>The word for a value.</summary>
    public static string Of<TWord>(TWord value)
        where TWord : struct, Enum => JsonNamingPolicy.CamelCase.ConvertName(value.ToString());

    /// <summary>The value of a word; null where there is none.</summary>
    public static TWord? Read<TWord>(string? word)
        where TWord : struct, Enum
    {
        foreach (var value in Enum.GetValues<TWord>())
        {
            if (Of(value) == word)
            {
                return value;
            }
        }

        return null;
    }
}
