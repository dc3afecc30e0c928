using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;

namespace Rostrum.Core.Apps.Actions;

/// <summary>Steps, one after the other. Where one fails the rest is not done, and what is for that case is.</summary>
public sealed record PanelAction(ImmutableArray<Step> Steps, ImmutableArray<Step> OnFailure)
{
    /// <summary>No steps.</summary>
    public static PanelAction Nothing { get; } = new([], []);

    /// <summary>There are no steps.</summary>
    public bool IsEmpty => Steps.IsEmpty && OnFailure.IsEmpty;

    /// <summary>The datasets that its steps name.</summary>
    public IEnumerable<DatasetId> Datasets =>
        All.SelectMany(step => step.Kind.Settings.SelectMany(setting => setting.Kind.Datasets(setting.Get(step))));

    /// <summary>Its steps, and those for a failure.</summary>
    public IEnumerable<Step> All => Steps.Concat(OnFailure);

    /// <summary>What its steps lack, for the builder.</summary>
    public IEnumerable<string> Problems(AppDefinition app, Page page) => All.SelectMany(step => step.Problems(app, page));

    /// <summary>The formulas of its steps.</summary>
    /// <param name="overRecord">They may name the fields of a record.</param>
    public IEnumerable<FormulaPlace> Formulas(bool overRecord) =>
        from at in Enumerable.Range(0, Steps.Length + OnFailure.Length)
        let step = All.ElementAt(at)
        from setting in step.Kind.Settings
        from place in setting.Kind.Formulas(setting.Get(step))
        select At(place, at, overRecord);

    /// <summary>The same action with each formula replaced.</summary>
    public PanelAction Rewritten(bool overRecord, Func<FormulaPlace, string> rewrite) =>
        Each(
            (step, at) =>
                step.Kind.Settings.Aggregate(step, (changed, setting) =>
                    setting.Amended(changed, text => setting.Kind.Rewritten(text, place => rewrite(At(place, at, overRecord))))
                )
        );

    /// <summary>The same action with another name for something to which it refers.</summary>
    public PanelAction Renamed(NamedThing thing, string from, string to) =>
        Each(
            (step, _) =>
                step.Kind.Settings.Aggregate(step, (changed, setting) =>
                    setting.Amended(changed, text => setting.Kind.Renamed(text, thing, from, to))
                )
        );

    /// <summary>The action as text; blank where there are no steps.</summary>
    public string ToText() => IsEmpty ? "" : KindJson.Write(this);

    /// <summary>Reads what <see cref="ToText"/> wrote; null where a text is no action.</summary>
    public static PanelAction? Read(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        return text.Length == 0 ? Nothing
            : KindJson.Read<PanelAction>(text) is { Steps.IsDefault: false, OnFailure.IsDefault: false } action
            && action.All.All(step => step is not null)
                ? action
            : null;
    }

    private FormulaPlace At(FormulaPlace place, int at, bool overRecord) =>
        place with
        {
            OverRecord = overRecord,
            Earlier = [.. All.Take(Math.Min(at, Steps.Length))],
            AfterFailure = at >= Steps.Length,
            // What a step's settings say of "its dataset" is the step's own, not the panel's.
            RecordOf = place.RecordOf is null ? null : All.ElementAt(at).Of,
            Into = place.Into is { } into ? (All.ElementAt(at).Of, into.Field) : null,
        };

    private PanelAction Each(Func<Step, int, Step> change) =>
        new([.. Steps.Select(change)], [.. OnFailure.Select((step, at) => change(step, Steps.Length + at))]);
}
