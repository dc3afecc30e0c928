using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Web.Build.Composer.Settings;

namespace Rostrum.Web.Build.Composer;

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
        form = SettingInput.Within(form, Prefix(Key, Action, OnFailure, Step));
        if (setting.Kind is not SettingKind.NamedActions)
        {
            return On(PanelAction.Read(text)!, form).ToText();
        }

        var actions = SettingKind.NamedActions.Read(text)!.Value;
        if (Action is { } asked && (asked < 0 || asked >= actions.Length))
        {
            // Another builder has removed it since.
            return text;
        }

        return SettingKind.NamedActions.Write(
            (Action, Does) switch
            {
                (null, _) => actions.Add(new NamedAction(Fresh(actions), PanelAction.Nothing)),
                ({ } at, "remove") when Step is null => actions.RemoveAt(at),
                ({ } at, "said") when With is { } said => actions.SetItem(
                    at,
                    SettingInput
                        .Read(actions[at], NamedAction.Settings, said, form)
                        .Aggregate(actions[at], (action, known) => (NamedAction)(known.Setting.Set(action, known.Text) ?? action))
                ),
                ({ } at, "label") => actions.SetItem(at, actions[at] with { Label = form["label"].ToString().Trim() }),
                ({ } at, _) => actions.SetItem(at, actions[at] with { Does = On(actions[at].Does, form) }),
            }
        );
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
        if (Step is { } asked && (asked < 0 || asked >= steps.Length))
        {
            // Another builder has removed it since.
            return action;
        }

        var changed = (Step, Does) switch
        {
            (null, "add") when StepKind.Find(With ?? "") is { } kind => steps.Add(Named(kind.Make(), action)),
            ({ } at, "remove") => steps.RemoveAt(at),
            ({ } at, "up") when at > 0 => steps.RemoveAt(at).Insert(at - 1, steps[at]),
            ({ } at, "down") when at < steps.Length - 1 => steps.RemoveAt(at).Insert(at + 1, steps[at]),
            ({ } at, "name") => steps.SetItem(at, steps[at] with { Name = Setting.Blank(form["name"].ToString().Trim()) }),
            ({ } at, "set") when With is { } key => steps.SetItem(
                at,
                SettingInput
                    .Read(steps[at], steps[at].Kind.Settings, key, form)
                    .Aggregate(steps[at], (step, said) => (Step)(said.Setting.Set(step, said.Text) ?? step))
            ),
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

        return step with
        {
            Name = fresh,
        };
    }
}
