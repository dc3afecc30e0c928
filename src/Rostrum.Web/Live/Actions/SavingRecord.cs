using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Actions;

/// <summary>Saves a record through the gate, within the rights of whoever started the action.</summary>
internal sealed class SavingRecord : EffectCarrier<StepEffect.Save>
{
    protected override async Task<Carried> CarryAsync(
        StepEffect.Save effect,
        ActionOutcome outcome,
        ActionContext context,
        CancellationToken cancellation
    )
    {
        var run = context.Run;
        var dataset = run.App.Datasets.Find(effect.Dataset)!;
        Carried Failed(string reason) => new(outcome) { Failure = reason };
        var key = effect.Change switch
        {
            Change.Update update => update.Key,
            Change.Delete delete => delete.Key,
            _ => null,
        };
        var result = key is null
            ? await run.Gate.SaveAsync(run.App.Datasets, new ChangeSet(dataset.Id, [effect.Change]), run.Writing, cancellation)
            : await run.Gate.SaveLockedAsync(run.App.Datasets, dataset.Id, key, context.Again, run.Writing, cancellation);
        return result switch
        {
            SaveResult.Saved { Changes: [var saved] } => await SavedAsync(saved.Applied, dataset, saved, outcome, context, cancellation),
            SaveResult.Invalid invalid => Failed(FieldProblem.Said(dataset, invalid.Problems)),
            SaveResult.Warned warned => Failed(FieldProblem.Said(dataset, warned.Problems)),
            SaveResult.Conflict => Failed($"This {dataset.RecordLabel} is no longer there, or was changed meanwhile."),
            SaveResult.Denied denied => Failed(denied.Reason),
            SaveResult.Failed failed => Failed(run.Words(failed.Failure)),
            SaveResult.Uncertain => Failed(SaveResult.Uncertain.Words),
            _ => throw new InvalidOperationException("one change was asked for"),
        };
    }

    private static async Task<Carried> SavedAsync(
        Change change,
        Dataset dataset,
        SavedChange saved,
        ActionOutcome outcome,
        ActionContext context,
        CancellationToken cancellation
    )
    {
        var noun = $"{char.ToUpperInvariant(dataset.RecordLabel[0])}{dataset.RecordLabel[1..]}";
        var verb = change switch
        {
            Change.Insert => "added",
            Change.Delete => "deleted",
            _ => "changed",
        };
        return new Carried(
            outcome with
            {
                Changed = outcome.Changed.Add(dataset.Id),
                Marked = saved.Key is null ? outcome.Marked : (dataset.Id, saved.Key),
                Said = $"{noun} “{saved.Title}” {verb}.",
            }
        )
        {
            Saved = (dataset, saved),
            Result = context.WantsResult && saved.Key is { } key ? await RecordAsync(dataset, key, context.Run, cancellation) : null,
        };
    }

    // The record as it is now, with the values of all its fields.
    private static async Task<FormulaRecord?> RecordAsync(Dataset dataset, RecordKey key, PageRun run, CancellationToken cancellation)
    {
        var shape = run.Scope.Shapes.Of(dataset);
        var needs = new FormulaNeeds();
        needs.Values.UnionWith(Enumerable.Range(0, shape.Shape.Members.Length).Where(index => shape[index] is ShapeMember.Value));
        return await run.RecordsForFormulas.ReadAsync(dataset, key, needs, cancellation);
    }
}
