using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Actions;

/// <summary>Carries out an action's steps, one after the other, within the rights of whoever started it.</summary>
internal sealed class ActionRun(PageRun run, Undoing undoing, Guid person)
{
    private readonly Dictionary<string, object?> _results = new(StringComparer.OrdinalIgnoreCase);
    private readonly List<(Dataset Dataset, SavedChange Change)> _saved = [];

    /// <summary>What an action's formulas look at of the record beside which it stands.</summary>
    public static FormulaNeeds NeedsOfRow(PageRun run, Panel panel, NamedAction action) =>
        FormulaNeeds.Of(action.Formulas(overRecord: true).Select(place => run.Scope.Check(panel, place).Tree).OfType<Typed>());

    /// <summary>Carries out an action, beside a record where it stands beside one.</summary>
    public async Task<ActionOutcome> CarryOutAsync(Panel panel, PanelAction action, FormulaRecord? row, CancellationToken cancellation) =>
        await UndoableAsync(await StepsAsync(panel, action, row, new ActionOutcome(run.State), cancellation), cancellation);

    /// <summary>Carries out an action for each of some records. Where it fails for one it is still carried out for the others, and that is said.</summary>
    public async Task<ActionOutcome> CarryOutEachAsync(Panel panel, PanelAction action, IReadOnlyList<FormulaRecord> rows, string noun, CancellationToken cancellation)
    {
        var outcome = new ActionOutcome(run.State);
        var failures = new List<string>();
        foreach (var row in rows)
        {
            _results.Clear();
            outcome = await StepsAsync(panel, action, row, outcome with { HasFailed = false }, cancellation);
            if (outcome.HasFailed)
            {
                failures.Add(outcome.Said ?? "");
            }
        }

        var done = rows.Count - failures.Count;
        var said = failures.Count == 0 ? $"Done for {done} {noun}." : $"Done for {done} of {rows.Count} {noun}. {string.Join(" ", failures.Distinct().Take(3))}";
        return await UndoableAsync(outcome with { Said = said, Marked = null }, cancellation);
    }

    /// <summary>A setting that is yes, no or a formula over the page and a record.</summary>
    public bool Truth(Panel panel, string? setting, FormulaRecord? row) =>
        setting is null or "yes" || (Computed.IsFormula(setting) && Scope(panel, row).Value(setting[1..]) is true);

    /// <summary>A setting that is a text or a formula for one.</summary>
    public string Text(Panel panel, string? setting, FormulaRecord? row) => Scope(panel, row).Text(setting ?? "");

    private StepScope Scope(Panel panel, FormulaRecord? row) => new(run, panel, new FormulaPlace("") { OverRecord = row is not null }, row, _results);

    // All that an action changed is taken back at once.
    private async Task<ActionOutcome> UndoableAsync(ActionOutcome outcome, CancellationToken cancellation) =>
        _saved.Select(saved => saved.Dataset.Id).Distinct().Count() == 1 && outcome.Said is { } said
            ? outcome with { Undo = await undoing.KeepAsync(person, _saved[0].Dataset, [.. _saved.Select(saved => saved.Change)], said, cancellation) }
            : outcome;

    private async Task<ActionOutcome> StepsAsync(Panel panel, PanelAction action, FormulaRecord? row, ActionOutcome outcome, CancellationToken cancellation)
    {
        var scope = Scope(panel, row);
        for (var at = 0; at < action.Steps.Length; at++)
        {
            var earlier = action.Steps[..at];
            (outcome, var failure) = await StepAsync(action.Steps[at], scope.After(earlier), outcome, cancellation);
            if (failure is null)
            {
                continue;
            }

            _results[PageScope.Failure] = failure;
            var said = outcome.Said;
            outcome = outcome with { Said = null };
            foreach (var step in action.OnFailure)
            {
                (outcome, _) = await StepAsync(step, scope.After(earlier, failed: true), outcome, cancellation);
            }

            return outcome with { Said = action.OnFailure.OfType<ShowMessage>().Any() ? outcome.Said ?? said : failure, HasFailed = true };
        }

        return outcome;
    }

    private async Task<(ActionOutcome Outcome, string? Failure)> StepAsync(Step step, StepScope scope, ActionOutcome outcome, CancellationToken cancellation)
    {
        var wanted = step.Run(scope);
        foreach (var effect in wanted.Effects)
        {
            var context = new ActionContext(run, WantsResult: step.Name is { Length: > 0 });
            var carried = await EffectCarrier.For(effect).CarryAsync(effect, outcome, context, cancellation);
            outcome = carried.Outcome;
            if (carried.Failure is not null)
            {
                return (outcome, carried.Failure);
            }

            if (carried.Saved is { } saved)
            {
                _saved.Add(saved);
            }

            if (step.Name is { Length: > 0 } name && carried.Result is not null)
            {
                _results[name] = carried.Result;
            }
        }

        return (outcome, wanted.Failure);
    }
}
