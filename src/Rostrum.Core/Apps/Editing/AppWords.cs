using Rostrum.Core.Apps.Settings;

namespace Rostrum.Core.Apps.Editing;

/// <summary>Changes in words.</summary>
public static class AppWords
{
    private const int Long = 60;

    /// <summary>What a change of a setting amounts to.</summary>
    /// <param name="of">What the setting belongs to.</param>
    /// <param name="setting">The setting.</param>
    /// <param name="before">What it said.</param>
    /// <param name="after">What it says.</param>
    public static string SettingChange(string of, Setting setting, string before, string after)
    {
        ArgumentNullException.ThrowIfNull(setting);
        if (setting.Kind is SettingKind.Fields)
        {
            var (old, now) = (Setting.Split(before), Setting.Split(after));
            var parts = new[] { Several(now.Except(old), "added"), Several(old.Except(now), "removed") }.OfType<string>().ToArray();
            return $"{of}: {setting.Label.ToLowerInvariant()}: {(parts.Length == 0 ? "in another order" : string.Join("; ", parts))}";
        }

        if (
            setting.Kind is SettingKind.FieldTexts
            && SettingKind.FieldTexts.Map(before) is { } were
            && SettingKind.FieldTexts.Map(after) is { } are
        )
        {
            var changes = were
                .Keys.Union(are.Keys)
                .Where(field => were.GetValueOrDefault(field, "") != are.GetValueOrDefault(field, ""))
                .Select(field => $"{field} {Change(were.GetValueOrDefault(field, ""), are.GetValueOrDefault(field, ""))}")
                .ToArray();
            return $"{of}: {setting.Label.ToLowerInvariant()}: {(changes.Length == 0 ? "as before" : string.Join("; ", changes))}";
        }

        return $"{of}: {setting.Label.ToLowerInvariant()} {Change(Shown(setting, before), Shown(setting, after))}";
    }

    private static string? Several(IEnumerable<string> names, string verb) =>
        string.Join(", ", names) is { Length: > 0 } all ? $"{all} {verb}" : null;

    private static string Change(string before, string after) =>
        (before, after) switch
        {
            _ when before.Length > Long
                    || after.Length > Long
                    || before.Contains('{', StringComparison.Ordinal)
                    || after.Contains('{', StringComparison.Ordinal) => before.Length == 0 ? "set"
            : after.Length == 0 ? "removed"
            : "changed",
            ("", _) => $"set to “{after}”",
            (_, "") => $"no longer “{before}”",
            _ => $"“{before}” → “{after}”",
        };

    private static string Shown(Setting setting, string value) =>
        setting.Kind switch
        {
            SettingKind.OneOf oneOf => oneOf.Options.FirstOrDefault(option => option.Value == value).Label ?? value,
            SettingKind.ComputedToggle when value.Length == 0 => "yes",
            SettingKind.SomeDataset when value.Length > 0 => "another dataset",
            _ => value,
        };
}
