using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core;
using Rostrum.Core.Apps.Settings;

namespace Rostrum.Web.Build.Composer.Settings;

/// <summary>
/// How a setting of one kind is entered in the Dock: by the partial with the kind's name in this folder. A class that derives from
/// <see cref="SettingInput{T}"/> is found by being there, for a kind that has several inputs or is drawn otherwise than the usual.
/// </summary>
internal abstract class SettingInput
{
    private static readonly FrozenDictionary<Type, SettingInput> Known = FoundClasses
        .Of<SettingInput>()
        .Where(input => input.Type is not null)
        .ToFrozenDictionary(input => input.Type!);

    /// <summary>The kind; null for the usual input.</summary>
    public virtual Type? Type => null;

    /// <summary>After a change the whole Dock is drawn anew, because other settings depend on this one.</summary>
    public virtual bool RedrawsDock => true;

    /// <summary>The partial that shows it.</summary>
    public virtual string Partial(SettingView view) => $"/Build/Composer/Settings/_{view.Setting.Kind.GetType().Name}.cshtml";

    /// <summary>What a form says of it, as text, and of the settings that are entered together with it.</summary>
    /// <param name="of">The panel, page or step.</param>
    /// <param name="setting">The setting.</param>
    /// <param name="settings">All of its settings.</param>
    /// <param name="form">What was sent.</param>
    public virtual IEnumerable<(Setting Setting, string Text)> Read(
        object of,
        Setting setting,
        ImmutableArray<Setting> settings,
        IFormCollection form
    ) => [(setting, Text(of, setting, form))];

    public static SettingInput Of(SettingKind kind) => Known.GetValueOrDefault(kind.GetType()) ?? UsualInput.Instance;

    /// <summary>The settings that a form says something of, as text.</summary>
    /// <param name="of">The panel, page or step.</param>
    /// <param name="settings">Its settings.</param>
    /// <param name="key">The one that was changed; those that stand beside it are read with it.</param>
    /// <param name="form">What was sent.</param>
    public static IEnumerable<(Setting Setting, string Text)> Read(
        object of,
        ImmutableArray<Setting> settings,
        string key,
        IFormCollection form
    ) => settings.FirstOrDefault(setting => setting.Key == key) is { } changed ? Of(changed.Kind).Read(of, changed, settings, form) : [];

    /// <summary>The name of the input of a setting of one part.</summary>
    public static string NameOf(string key) => $"set.{key}";

    /// <summary>The part of a form whose inputs' names begin so, without that beginning.</summary>
    public static IFormCollection Within(IFormCollection form, string prefix) =>
        new FormCollection(
            form.Where(part => part.Key.StartsWith(prefix, StringComparison.Ordinal))
                .ToDictionary(part => part.Key[prefix.Length..], part => part.Value)
        );

    /// <summary>What a form says of it, as text.</summary>
    protected virtual string Text(object of, Setting setting, IFormCollection form) =>
        form[NameOf(setting.Key)].ToString().ReplaceLineEndings("\n");

    /// <summary>The rows of an input of several: for each the texts of its parts.</summary>
    protected static IEnumerable<string[]> Rows(IFormCollection form, string key, params string[] parts)
    {
        for (var at = 0; form.ContainsKey($"{key}.{at}.{parts[0]}"); at++)
        {
            yield return [.. parts.Select(part => form[$"{key}.{at}.{part}"].ToString().Trim())];
        }
    }
}

/// <inheritdoc/>
internal abstract class SettingInput<T> : SettingInput
    where T : SettingKind
{
    public sealed override Type Type => typeof(T);
}

internal sealed class UsualInput : SettingInput
{
    public static SettingInput Instance { get; } = new UsualInput();
}
