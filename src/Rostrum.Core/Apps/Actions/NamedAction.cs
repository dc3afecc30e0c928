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
    public string? Asks { get; init; }

    /// <summary>Whether it is there: a formula after <c>=</c>; yes where null.</summary>
    public string? Visible { get; init; }

    /// <summary>Whether it can be chosen: a formula after <c>=</c>; yes where null.</summary>
    public string? Enabled { get; init; }

    /// <summary>Why it cannot be chosen, or a formula for that.</summary>
    public string? Because { get; init; }

    /// <summary>It stands in a menu, and not as a button.</summary>
    public bool InMenu { get; init; }

    /// <summary>What can be said of an action beside its name and its steps.</summary>
    public static ImmutableArray<Setting> Settings { get; } =
    [
        Of<NamedAction>(
            "icon",
            "Icon",
            SettingPart.Appearance,
            new SettingKind.OneOf(Icons.Offered),
            action => action.Icon,
            (action, text) => action with { Icon = Blank(text) }),
        Of<NamedAction>(
            "inMenu",
            "Stands in a menu",
            SettingPart.Appearance,
            new SettingKind.Toggle(),
            action => Word(action.InMenu),
            (action, text) => action with { InMenu = text == "yes" }),
        Of<NamedAction>(
            "asks",
            "Asks first",
            SettingPart.Behaviour,
            new SettingKind.Line(new FormulaType.Text()),
            action => action.Asks,
            (action, text) => action with { Asks = Blank(text) }),
        Of<NamedAction>(
            "visible",
            "Is there",
            SettingPart.Behaviour,
            new SettingKind.ComputedToggle(),
            action => action.Visible,
            (action, text) => action with { Visible = text is "yes" ? null : Blank(text) }),
        Of<NamedAction>(
            "enabled",
            "Can be chosen",
            SettingPart.Behaviour,
            new SettingKind.ComputedToggle(),
            action => action.Enabled,
            (action, text) => action with { Enabled = text is "yes" ? null : Blank(text) }),
        Of<NamedAction>(
            "because",
            "If not, because",
            SettingPart.Behaviour,
            new SettingKind.Line(new FormulaType.Text()),
            action => action.Because,
            (action, text) => action with { Because = Blank(text) }),
    ];

    /// <summary>The formulas of its steps and its settings.</summary>
    /// <param name="overRecord">They may name the fields of a record.</param>
    public IEnumerable<FormulaPlace> Formulas(bool overRecord) =>
        Does
            .Formulas(overRecord)
            .Concat(from setting in Settings
                    from place in setting.Kind.Formulas(setting.Get(this))
                    select place with { OverRecord = overRecord });

    /// <summary>The same action with each formula replaced.</summary>
    public NamedAction Rewritten(bool overRecord, Func<FormulaPlace, string> rewrite) =>
        Settings.Aggregate(
            this with { Does = Does.Rewritten(overRecord, rewrite) },
            (changed, setting) => setting.Amended(
                changed,
                text => setting.Kind.Rewritten(text, place => rewrite(place with { OverRecord = overRecord }))));
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
