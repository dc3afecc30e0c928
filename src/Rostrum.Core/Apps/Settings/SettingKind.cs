using System.Globalization;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Apps.Settings;

/// <summary>What a setting's text can be, and which formulas and names stand in it.</summary>
public abstract partial record SettingKind
{
    private SettingKind() { }

    /// <summary>Whether a text is one of this kind.</summary>
    public virtual bool Fits(string text) => true;

    /// <summary>What a formula in its place gives, where a panel's setting can be one after <c>=</c> in the place of its value.</summary>
    public virtual FormulaType? Computes => null;

    /// <summary>A formula's value as a setting's text; null where it is blank.</summary>
    public static string? TextOf(object? value) =>
        value switch
        {
            null => null,
            bool yes => Setting.Word(yes),
            decimal number => decimal.Round(number).ToString("0", CultureInfo.InvariantCulture),
            _ => Convert.ToString(value, CultureInfo.InvariantCulture),
        };

    /// <summary>The formulas in a text.</summary>
    public virtual IEnumerable<FormulaPlace> Formulas(string text) =>
        Computes is { } type && Apps.Computed.IsFormula(text) ? [new FormulaPlace(text[1..]) { Wanted = type }] : [];

    /// <summary>The text with each formula replaced.</summary>
    public virtual string Rewritten(string text, Func<FormulaPlace, string> rewrite) =>
        Computes is not null && Formulas(text).FirstOrDefault() is { } place ? "=" + rewrite(place) : text;

    /// <summary>The text with another name for something to which it refers by name.</summary>
    public virtual string Renamed(string text, NamedThing thing, string from, string to) => text;

    /// <summary>The datasets that a text names.</summary>
    public virtual IEnumerable<DatasetId> Datasets(string text) => [];

    /// <summary>The fields of the panel's dataset that a text names.</summary>
    public virtual IEnumerable<string> FieldsNamed(string text) => [];

    /// <summary>The text without some of those fields.</summary>
    public virtual string Without(string text, IReadOnlySet<string> fields) => text;

    /// <summary>Its text is one formula, or may be one.</summary>
    public virtual bool IsOneFormula => Computes is not null;

    /// <summary>Its text holds actions.</summary>
    public virtual bool HoldsActions => false;

    /// <summary>The actions in a text.</summary>
    public virtual IEnumerable<PanelAction> Actions(string text) => [];
}
