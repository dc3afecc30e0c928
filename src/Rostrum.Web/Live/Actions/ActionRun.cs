using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Actions;

/// <summary>Carries out an action's steps, one after the other, within the rights of whoever started it.</summary>
internal sealed class ActionRun(PageRun run, Undoing undoing, Guid person, IServiceProvider services)
{
    private readonly Dictionary<string, object?> _results = new(StringComparer.OrdinalIgnoreCase);
    private readonly List<(Dataset Dataset, SavedChange Change)> _saved = [];

    /// <summary>What an action's formulas look at of the record beside which it stands.</summary>
    public static FormulaNeeds NeedsOfRow(PageRun run, Panel panel, NamedAction action) =>
        FormulaNeeds.Of(action.Formulas(overRecord: true).Select(place => run.Scope.Check(panel, place).Tree).OfType<Typed>());

    /// <summary>Carries out an action, beside a record where it stands beside one.</summary>
    /// <param name="panel">The panel in which it stands.</param>
    /// <param name="action">What is done.</param>
    /// <param name="row">The record.</param>
    /// <param name="offer">Options: whether it still is, is asked once more before a record is changed. None where it follows a
    /// save.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<ActionOutcome> CarryOutAsync(
        Panel panel,
        PanelAction action,
        FormulaRecord? row,
        NamedAction? offer,
        CancellationToken cancellation
    ) =>
        await UndoableAsync(
            await StepsAsync(new Place(panel, action, row, offer), new ActionOutcome(run.State), cancellation),
            cancellation
        );

    /// <summary>
    /// Carries out an action for each of some records. Where it fails for one it is still carried out for the others, and that is said.
    /// </summary>
    public async Task<ActionOutcome> CarryOutEachAsync(
        Panel panel,
        NamedAction action,
        IReadOnlyList<FormulaRecord> rows,
        string noun,
        CancellationToken cancellation
    )
    {
        var outcome = new ActionOutcome(run.State);
        var failures = new List<string>();
        foreach (var row in rows)
        {
            _results.Clear();
            outcome = await StepsAsync(new Place(panel, action.Does, row, action), outcome with { HasFailed = false }, cancellation);
            if (outcome.HasFailed)
            {
                failures.Add(outcome.Said ?? "");
            }
        }

        var done = rows.Count - failures.Count;
        var said =
            failures.Count == 0
                ? $"Done for {done} {noun}."
                : $"Done for {done} of {rows.Count} {noun}. {string.Join(" ", failures.Distinct().Take(3))}";
        return await UndoableAsync(outcome with { Said = said, Marked = null }, cancellation);
    }

    /// <summary>A setting that is yes, no or a formula over the page and a record.</summary>
    public bool Truth(Panel panel, string? setting, FormulaRecord? row) => Scope(panel, row).Truth(setting);

    /// <summary>A setting that is a text or a formula for one.</summary>
    public string Text(Panel panel, string? setting, FormulaRecord? row) => Scope(panel, row).Text(setting ?? "");

    private StepScope Scope(Panel panel, FormulaRecord? row) =>
        new(run, panel, new FormulaPlace("") { OverRecord = row is not null }, row, _results);

    // All that an action changed is taken back at once.
    private async Task<ActionOutcome> UndoableAsync(ActionOutcome outcome, CancellationToken cancellation) =>
        outcome.Said is { } said ? outcome with { Undo = await undoing.KeepAsync(person, _saved, said, cancellation) } : outcome;

    /// <summary>Where an action is carried out.</summary>
    /// <param name="Panel">The panel in which it stands.</param>
    /// <param name="Action">What is done.</param>
    /// <param name="Row">The record beside which it stands.</param>
    /// <param name="Offer">How it is offered.</param>
    private sealed record Place(Panel Panel, PanelAction Action, FormulaRecord? Row, NamedAction? Offer);

    private async Task<ActionOutcome> StepsAsync(Place place, ActionOutcome outcome, CancellationToken cancellation)
    {
        var (action, saved) = (place.Action, _saved.Count);
        var scope = Scope(place.Panel, place.Row);
        for (var at = 0; at < action.Steps.Length; at++)
        {
            var earlier = action.Steps[..at];
            (outcome, var failure) = await StepAsync(
                action.Steps[at],
                scope.After(earlier),
                place with
                {
                    Offer = _saved.Count == saved ? place.Offer : null,
                },
                outcome,
                cancellation
            );
            if (failure is null)
            {
                continue;
            }

            _results[PageScope.Failure] = failure;
            var said = outcome.Said;
            outcome = outcome with { Said = null };
            foreach (var step in action.OnFailure)
            {
                (outcome, _) = await StepAsync(
                    step,
                    scope.After(earlier, failed: true),
                    place with
                    {
                        Offer = null,
                    },
                    outcome,
                    cancellation
                );
            }

            return outcome with
            {
                Said = action.OnFailure.OfType<ShowMessage>().Any() ? outcome.Said ?? said : failure,
                HasFailed = true,
            };
        }

        return outcome;
    }

    private async Task<(ActionOutcome Outcome, string? Failure)> StepAsync(
        Step step,
        StepScope scope,
        Place place,
        ActionOutcome outcome,
        CancellationToken cancellation
    )
    {
        var wanted = step.Run(scope);
        foreach (var effect in wanted.Effects)
        {
            var context = new ActionContext(services, run, WantsResult: step.Name is { Length: > 0 }, (gate, token) =>
                AgainAsync(step, scope, place, gate, token)
            );
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

    // Between the look at the page and the lock somebody else may have changed what the step's formulas look at, and whether the action is
    // offered at all.
    private async Task<Decided> AgainAsync(Step step, StepScope scope, Place place, RecordGate gate, CancellationToken cancellation)
    {
        var now = run.Through(gate);
        await now.PrepareAsync(cancellation);
        var row = place.Row;
        if (place is { Row.Identity: RecordKey key, Panel.Of: { } of } && run.App.Datasets.Find(of) is { } dataset)
        {
            var needs = FormulaNeeds.Of(
                (place.Offer?.Formulas(overRecord: true) ?? place.Action.Formulas(overRecord: true))
                    .Select(known => run.Scope.Check(place.Panel, known).Tree)
                    .OfType<Typed>()
            );
            row = await now.RecordsForFormulas.ReadAsync(dataset, key, needs, cancellation);
            if (row is null)
            {
                return new Decided.Not($"This {dataset.RecordLabel} is no longer there.");
            }
        }

        var fresh = scope.At(now, row);
        if (place.Offer is { } offer && !(fresh.Truth(offer.Visible) && fresh.Truth(offer.Enabled)))
        {
            var because = fresh.Text(offer.DisabledReason ?? "");
            return new Decided.Not(because.Length > 0 ? because : "Not done: somebody else changed this record first.");
        }

        var wanted = step.Run(fresh);
        return wanted is { Failure: null, Effects: [StepEffect.Save { Change: var change }] }
            ? new Decided.Write(change)
            : new Decided.Not(wanted.Failure ?? "Not available any more.");
    }
}
