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
    public static IEnumerable<(Setting Setting, string Text)> Read(object of, ImmutableArray<Setting> settings, string key, IFormCollection form)
    {
        if (settings.FirstOrDefault(setting => setting.Key == key) is not { } changed)
        {
            yield break;
        }

        if (changed.Kind is SettingKind.Fields)
        {
            yield return (changed, Setting.Joined(form[$"order.{key}"].ToString().Split(',', StringSplitOptions.RemoveEmptyEntries).Where(field => form.ContainsKey($"shown.{key}.{field}"))));
            foreach (var beside in settings.Where(setting => setting.Beside == key))
            {
                yield return (beside, SettingKind.FieldTexts.Write(form.Where(part => part.Key.StartsWith($"{beside.Key}.", StringComparison.Ordinal) && part.Value.ToString().Trim().Length > 0).ToDictionary(part => part.Key[(beside.Key.Length + 1)..], part => part.Value.ToString().Trim())));
            }
        }
        else
        {
            yield return (changed, changed.Kind switch
            {
                SettingKind.FieldTexts => SettingKind.FieldTexts.Write(Rows(form, key, "field", "text").Where(row => row[0].Length > 0).DistinctBy(row => row[0]).ToDictionary(row => row[0], row => row[1])),
                SettingKind.ComputedColumns => SettingKind.ComputedColumns.Write(Columns(of, form, key)),
                SettingKind.Tones => SettingKind.Tones.Write([.. Rows(form, key, "when", "tone", "says", "field").Where(row => row[0].Trim('=', ' ').Length > 0).Select(row => new RecordTone(row[0].TrimStart('=').Trim(), row[1], row[2], row[3].Length == 0 ? null : new FieldName(row[3])))]),
                SettingKind.Toggle => form.ContainsKey(NameOf(key)) ? "yes" : "no",
                _ => form[NameOf(key)].ToString().ReplaceLineEndings("\n"),
            });
        }
    }

    /// <summary>The part of a form whose inputs' names begin so, without that beginning.</summary>
    public static IFormCollection Within(IFormCollection form, string prefix) => new FormCollection(form.Where(part => part.Key.StartsWith(prefix, StringComparison.Ordinal)).ToDictionary(part => part.Key[prefix.Length..], part => part.Value));

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
            columns.Add(new PanelColumn(row[0].Length > 0 ? new FieldName(row[0]) : Wording.FieldName(label, columns.Select(column => column.Name).Concat(dataset)), label, row[2].Trim().TrimStart('=')));
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

/// <summary>What a builder does with the lists of what belongs to each record.</summary>
/// <param name="Path">Which list: its place, and the places of those within which it stands, with dots between; blank for the outermost.</param>
/// <param name="Does">Add, remove or set.</param>
internal sealed record NestedCommand(string Path, string Does)
{
    private const int UsualMost = 5;

    /// <summary>The lists after it; the same where it does not fit.</summary>
    public ImmutableArray<NestedList> Applied(ImmutableArray<NestedList> lists, DatasetCatalogue catalogue, IFormCollection form)
    {
        int[] places = [.. Path.Split('.', StringSplitOptions.RemoveEmptyEntries).Select(part => int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var at) ? at : -1)];
        return Does == "add" ? Within(lists, places, inner => Added(catalogue, form) is { } added ? inner.Add(added) : inner)
            : places.Length == 0 ? lists
            : Within(lists, places[..^1], inner => places[^1] < 0 || places[^1] >= inner.Length ? inner : Does == "remove" ? inner.RemoveAt(places[^1]) : inner.SetItem(places[^1], Set(inner[places[^1]], form)));
    }

    private static ImmutableArray<NestedList> Within(ImmutableArray<NestedList> lists, int[] places, Func<ImmutableArray<NestedList>, ImmutableArray<NestedList>> change) =>
        places.Length == 0 ? change(lists)
        : places[0] < 0 || places[0] >= lists.Length ? lists
        : lists.SetItem(places[0], lists[places[0]] with { Nested = Within(lists[places[0]].Nested, places[1..], change) });

    private NestedList? Added(DatasetCatalogue catalogue, IFormCollection form) =>
        form[$"nested.{Path}.add"].ToString().Split(' ', 2) is [var id, { Length: > 0 } relation] && Guid.TryParse(id, out var known) && catalogue.Find(new DatasetId(known)) is { } dataset
            ? new NestedList(relation, dataset.Id, [.. AppDrafting.Table("list", dataset).Columns.Where(column => dataset.Title.All(part => part.Field != column) && dataset.RelationOf(column)?.InverseName.Value != relation).Take(2)], null, UsualMost, [])
            : null;

    private NestedList Set(NestedList list, IFormCollection form) => list with
    {
        Most = int.TryParse(form[$"nested.{Path}.most"], NumberStyles.None, CultureInfo.InvariantCulture, out var most) ? Math.Clamp(most, 1, 100) : list.Most,
        Filter = Setting.Blank(form[$"nested.{Path}.filter"].ToString().Trim().TrimStart('=').Trim()),
        Fields = [.. form[$"nested.{Path}.field"].OfType<string>().Select(name => new FieldName(name))],
    };
}

/// <summary>What a builder does with the steps of an action.</summary>
/// <param name="Key">The setting that holds the action.</param>
/// <param name="Action">Which of several named ones; null where there is but one.</param>
/// <param name="OnFailure">The steps for a failure are meant.</param>
/// <param name="Step">Which step; null where the whole is meant.</param>
/// <param name="Does">Add, remove, move up or down, or set.</param>
/// <param name="With">The kind of what is added, or the key of what is set.</param>
internal sealed record StepCommand(string Key, int? Action, bool OnFailure, int? Step, string Does, string? With)
{
    /// <summary>The setting's text after it.</summary>
    public string Applied(Setting setting, Panel panel, IFormCollection form)
    {
        var text = setting.Get(panel);
        form = SettingForm.Within(form, Prefix(Key, Action, OnFailure, Step));
        if (setting.Kind is not SettingKind.NamedActions)
        {
            return On(PanelAction.Read(text)!, form).ToText();
        }

        var actions = SettingKind.NamedActions.Read(text)!.Value;
        return SettingKind.NamedActions.Write((Action, Does) switch
        {
            (null, _) => actions.Add(new NamedAction(Fresh(actions), PanelAction.Nothing)),
            ({ } at, "remove") when Step is null => actions.RemoveAt(at),
            ({ } at, "said") when With is { } said => actions.SetItem(at, SettingForm.Read(actions[at], NamedAction.Settings, said, form).Aggregate(actions[at], (action, known) => (NamedAction)(known.Setting.Set(action, known.Text) ?? action))),
            ({ } at, "label") => actions.SetItem(at, actions[at] with { Label = form["label"].ToString().Trim() }),
            ({ } at, _) => actions.SetItem(at, actions[at] with { Does = On(actions[at].Does, form) }),
        });
    }

    /// <summary>How the names of a step's inputs begin.</summary>
    public static string Prefix(string key, int? action, bool onFailure, int? step) => $"{key}:{action}:{(onFailure ? "f" : "s")}:{step}:";

    private static string Fresh(ImmutableArray<NamedAction> actions)
    {
        var number = 1;
        while (actions.Any(action => action.Label == $"Action {number}"))
        {
            number++;
        }

        return $"Action {number}";
    }

    private PanelAction On(PanelAction action, IFormCollection form)
    {
        var steps = OnFailure ? action.OnFailure : action.Steps;
        var changed = (Step, Does) switch
        {
            (null, "add") when StepKind.Find(With ?? "") is { } kind => steps.Add(Named(kind.Make(), action)),
            ({ } at, "remove") => steps.RemoveAt(at),
            ({ } at, "up") when at > 0 => steps.RemoveAt(at).Insert(at - 1, steps[at]),
            ({ } at, "down") when at < steps.Length - 1 => steps.RemoveAt(at).Insert(at + 1, steps[at]),
            ({ } at, "name") => steps.SetItem(at, steps[at] with { Name = Setting.Blank(form["name"].ToString().Trim()) }),
            ({ } at, "set") when With is { } key => steps.SetItem(at, SettingForm.Read(steps[at], steps[at].Kind.Settings, key, form).Aggregate(steps[at], (step, said) => (Step)(said.Setting.Set(step, said.Text) ?? step))),
            _ => steps,
        };
        return OnFailure ? action with { OnFailure = changed } : action with { Steps = changed };
    }

    // What comes of a step has a name from the start.
    private static Step Named(Step step, PanelAction action)
    {
        if (step.ResultName is not { } name)
        {
            return step;
        }

        var taken = action.All.Select(known => known.Name).ToHashSet();
        var number = 2;
        var fresh = name;
        while (taken.Contains(fresh))
        {
            fresh = $"{name}_{number++}";
        }

        return step with { Name = fresh };
    }
}
