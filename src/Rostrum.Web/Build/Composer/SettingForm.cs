using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;

namespace Rostrum.Web.Build.Composer;

/// <summary>Reads what the Dock's inputs say of a setting. A setting of several parts has an input each.</summary>
internal static class SettingForm
{
    /// <summary>The name of the input of a setting of one part.</summary>
    public static string NameOf(string key) => $"set.{key}";

    /// <summary>The settings that a form says something of, as text, by their keys.</summary>
    /// <param name="of">The panel, page or step.</param>
    /// <param name="settings">Its settings.</param>
    /// <param name="key">The one that was changed; those that stand beside it are read with it.</param>
    /// <param name="form">What was sent.</param>
    public static IEnumerable<(Setting Setting, string Text)> Read(
        object of,
        ImmutableArray<Setting> settings,
        string key,
        IFormCollection form)
    {
        if (settings.FirstOrDefault(setting => setting.Key == key) is not { } changed)
        {
            yield break;
        }

        if (changed.Kind is SettingKind.Fields)
        {
            yield return (changed, Setting.Joined(form[$"order.{key}"]
                .ToString()
                .Split(',', StringSplitOptions.RemoveEmptyEntries)
                .Where(field => form.ContainsKey($"shown.{key}.{field}"))));
            foreach (var beside in settings.Where(setting => setting.Beside == key))
            {
                yield return (beside, SettingKind.FieldTexts.Write(form
                    .Where(part => part.Key.StartsWith($"{beside.Key}.", StringComparison.Ordinal)
                        && part.Value.ToString().Trim().Length > 0)
                    .ToDictionary(part => part.Key[(beside.Key.Length + 1)..], part => part.Value.ToString().Trim())));
            }
        }
        else
        {
            yield return (changed, changed.Kind switch
            {
                SettingKind.FieldTexts =>
                    SettingKind.FieldTexts.Write(Rows(form, key, "field", "text")
                        .Where(row => row[0].Length > 0)
                        .DistinctBy(row => row[0])
                        .ToDictionary(row => row[0], row => row[1])),
                SettingKind.ComputedColumns => SettingKind.ComputedColumns.Write(Columns(of, form, key)),
                SettingKind.Highlights =>
                    SettingKind.Highlights.Write([
                        .. Rows(form, key, "when", "tone", "label", "field")
                            .Where(row => row[0].Trim('=', ' ').Length > 0)
                            .Select(row => new Highlight(
                                row[0].TrimStart('=').Trim(),
                                Words.Read<Tone>(row[1]) ?? Tone.Attention,
                                row[2],
                                row[3].Length == 0 ? null : new FieldName(row[3]))),
                    ]),
                SettingKind.Toggle => form.ContainsKey(NameOf(key)) ? "yes" : "no",
                _ => form[NameOf(key)].ToString().ReplaceLineEndings("\n"),
            });
        }
    }

    /// <summary>The part of a form whose inputs' names begin so, without that beginning.</summary>
    public static IFormCollection Within(IFormCollection form, string prefix) =>
        new FormCollection(form
            .Where(part => part.Key.StartsWith(prefix, StringComparison.Ordinal))
            .ToDictionary(part => part.Key[prefix.Length..], part => part.Value));

    /// <summary>One field of an ordered list a place up or down.</summary>
    public static string Moved(string fields, string field, int by)
    {
        var names = Setting.Split(fields);
        var at = names.IndexOf(field);
        return at < 0 ? fields : Setting.Joined(names.RemoveAt(at).Insert(Math.Clamp(at + by, 0, names.Length - 1), field));
    }

    private static ImmutableArray<PanelColumn> Columns(object of, IFormCollection form, string key)
    {
        var columns = ImmutableArray.CreateBuilder<PanelColumn>();
        var dataset = (of as TablePanel)?.Columns ?? [];
        foreach (var row in Rows(form, key, "name", "label", "formula").Where(row => row[2].Trim().Length > 0))
        {
            var label = row[1].Length > 0 ? row[1] : "New column";
            columns.Add(new PanelColumn(
                row[0].Length > 0 ? new FieldName(row[0]) : Wording.FieldName(label, columns.Select(column => column.Name).Concat(dataset)),
                label,
                row[2].Trim().TrimStart('=')));
        }

        return columns.ToImmutable();
    }

    private static IEnumerable<string[]> Rows(IFormCollection form, string key, params string[] parts)
    {
        for (var at = 0; form.ContainsKey($"{key}.{at}.{parts[0]}"); at++)
        {
            yield return [.. parts.Select(part => form[$"{key}.{at}.{part}"].ToString().Trim())];
        }
    }
}
