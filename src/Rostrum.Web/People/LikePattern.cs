namespace Rostrum.Web.People;

/// <summary>Patterns of LIKE for the store's own records.</summary>
internal static class LikePattern
{
    /// <summary>A text as a pattern that means itself, with a backslash before what has a meaning.</summary>
    public static string Literally(string text) =>
        string.Concat(text.Select(letter => letter is '\\' or '%' or '_' ? $"\\{letter}" : $"{letter}"));
}
