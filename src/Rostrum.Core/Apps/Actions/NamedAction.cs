using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Actions;

/// <summary>An action that people choose by its name.</summary>
/// <param name="Label">What people read.</param>
/// <param name="Does">What it does.</param>
public sealed record NamedAction(string Label, PanelAction Does)
{
    /// <summary>The name of its icon; none where null.</summary>
    public string? Icon { get; init; }

    /// <summary>What is asked before it is done, or a formula for that; nothing where null.</summary>
    public string? Confirmation { get; init; }

    /// <summary>Whether it is there: a formula after <c>=</c>; yes where null.</summary>
    public string? Visible { get; init; }

    /// <summary>Whether it can be chosen: a formula after <c>=</c>; yes where null.</summary>
    public string? Enabled { get; init; }

    /// <summary>Why it cannot be chosen, or a formula for that.</summary>
    public string? DisabledReason { get; init; }

    /// <summary>It stands in a menu, and not as a button.</summary>
    public bool InMenu { get; init; }

    /// <summary>It does something beside showing the page: it takes the right to run actions on the records of its panel.</summary>
    public bool TakesRight => Does.Steps.Concat(Does.OnFailure).Any(step => step is not PageStep);

    /// <summary>What can be said of an action beside its name and its steps.</summary>
    public static ImmutableArray<Setting> Settings { get; } =
    [
        SettingsOf<NamedAction>.Icon(action => action.Icon, (action, icon) => action with { Icon = icon }),
        SettingsOf<NamedAction>.Toggle(
            "inMenu",
            "In the menu",
            SettingPart.Appearance,
            action => action.InMenu,
            (action, on) => action with { InMenu = on }
        ),
        SettingsOf<NamedAction>.Text(
            "confirmation",
            "Confirmation",
            SettingPart.Behaviour,
            action => action.Confirmation,
            (action, text) => action with { Confirmation = text }
        ),
        SettingsOf<NamedAction>.Computed(
            "visible",
            "Visible",
            SettingPart.Behaviour,
            action => action.Visible,
            (action, formula) => action with { Visible = formula }
        ),
        SettingsOf<NamedAction>.Computed(
            "enabled",
            "Enabled",
            SettingPart.Behaviour,
            action => action.Enabled,
            (action, formula) => action with { Enabled = formula }
        ),
        SettingsOf<NamedAction>.Text(
            "disabledReason",
            "Reason when disabled",
            SettingPart.Behaviour,
            action => action.DisabledReason,
            (action, text) => action with { DisabledReason = text }
        ),
    ];

    /// <summary>The formulas of its steps and its settings.</summary>
    /// <param name="overRecord">They may name the fields of a record.</param>
    public IEnumerable<FormulaPlace> Formulas(bool overRecord) =>
        Does.Formulas(overRecord)
            .Concat(
                from setting in Settings
                from place in setting.Kind.Formulas(setting.Get(this))
                select place with
                {
                    OverRecord = overRecord,
                }
            );

    /// <summary>The same action with each formula replaced.</summary>
    public NamedAction Rewritten(bool overRecord, Func<FormulaPlace, string> rewrite) =>
        Settings.Aggregate(this with { Does = Does.Rewritten(overRecord, rewrite) }, (changed, setting) =>
            setting.Amended(changed, text => setting.Kind.Rewritten(text, place => rewrite(place with { OverRecord = overRecord })))
        );
}

/// <summary>Where an action stands.</summary>
public enum ActionPlace
{
    /// <summary>By itself.</summary>
    List,

    /// <summary>Beside each record.</summary>
    Record,

    /// <summary>Beside the records that are checked.</summary>
    Checked,
}
