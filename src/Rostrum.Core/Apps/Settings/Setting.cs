using System.Collections.Immutable;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Settings;

/// <summary>Where in the Dock a setting stands.</summary>
public enum SettingPart
{
    /// <summary>What is shown.</summary>
    Content,

    /// <summary>What it does.</summary>
    Behaviour,

    /// <summary>How it looks.</summary>
    Appearance,
}

/// <summary>
/// One thing that a builder can say of a panel or a step. It is read and written as text, so that one command, one comparison and one form
/// serve all of them.
/// </summary>
/// <param name="Key">Its name in commands.</param>
/// <param name="Label">What builders read.</param>
/// <param name="Part">Where it stands.</param>
/// <param name="Kind">What can be said.</param>
/// <param name="Get">What is said, as text.</param>
/// <param name="Set">The panel or step with something else said; null where the text does not fit.</param>
public sealed record Setting(
    string Key,
    string Label,
    SettingPart Part,
    SettingKind Kind,
    Func<object, string> Get,
    Func<object, string, object?> Set
)
{
    /// <summary>The key of the setting whose fields these are texts for: both are set side by side.</summary>
    public string? Beside { get; init; }

    /// <summary>Whether it means something for a panel, page or step as it is now.</summary>
    public Func<object, bool> Applies { get; init; } = _ => true;

    /// <summary>The setting, shown only where it means something.</summary>
    /// <param name="when">Whether it does for one panel or step.</param>
    public Setting Where<T>(Func<T, bool> when)
        where T : class => this with { Applies = of => when((T)of) && Applies(of) };

    /// <summary>Whether it stands by itself in a part of the Dock for a panel or page as it is now.</summary>
    public bool StandsIn(SettingPart part, object of) => Part == part && Beside is null && Applies(of);

    /// <summary>A sentence that helps.</summary>
    public string? Help { get; init; }

    /// <summary>A setting of one kind of panel or step.</summary>
    public static Setting Of<T>(string key, string label, SettingPart part, SettingKind kind, Func<T, string?> get, Func<T, string, T?> set)
        where T : class =>
        new(
            key,
            label,
            part,
            kind,
            of => of is Panel panel && panel.Formulas.TryGetValue(key, out var formula) ? "=" + formula : get((T)of) ?? "",
            (of, text) =>
                of is Panel panel && kind.Computes is not null && Amend(panel, key, text) is { } amended ? amended
                : kind.Fits(text) ? set((T)Plain(of, key), text)
                : null
        );

    // A formula stands beside the value that the setting has without it; blank takes it away again.
    private static Panel? Amend(Panel panel, string key, string text) =>
        Computed.IsFormula(text) ? panel with { Formulas = panel.Formulas.SetItem(key, text[1..].Trim()) }
        : text.Length == 0 && panel.Formulas.ContainsKey(key) ? (Panel)Plain(panel, key)
        : null;

    private static object Plain(object of, string key) =>
        of is Panel panel && panel.Formulas.ContainsKey(key) ? panel with { Formulas = panel.Formulas.Remove(key) } : of;

    /// <summary>A panel, page or step with the setting's text amended; the same one where the text stays.</summary>
    public T Amended<T>(T of, Func<string, string> amend)
        where T : class
    {
        ArgumentNullException.ThrowIfNull(amend);
        var text = Get(of);
        var amended = amend(text);
        return amended == text ? of : (T)Set(of, amended)!;
    }

    /// <summary>A text, blank where null.</summary>
    public static string? Blank(string text) => string.IsNullOrWhiteSpace(text) ? null : text;

    /// <summary>Yes or no as text.</summary>
    public static string Word(bool yes) => yes ? "yes" : "no";

    /// <summary>Names as text: joined by commas.</summary>
    public static string Joined<T>(IEnumerable<T> names) => string.Join(", ", names);

    /// <summary>The names in such a text.</summary>
    public static ImmutableArray<string> Split(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return [.. text.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)];
    }

    /// <summary>The fields whose names stand in such a text, each once.</summary>
    public static ImmutableArray<FieldName> FieldNames(string text) => [.. Split(text).Select(name => new FieldName(name)).Distinct()];
}
