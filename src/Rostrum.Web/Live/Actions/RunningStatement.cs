using Rostrum.Core.Apps.Actions;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Actions;

/// <summary>Runs a statement through the gate, within the rights of whoever started the action.</summary>
internal sealed class RunningStatement : EffectCarrier<StepEffect.RunStatement>
{
    protected override async Task<Carried> CarryAsync(
        StepEffect.RunStatement effect,
        ActionOutcome outcome,
        ActionContext context,
        CancellationToken cancellation
    )
    {
        var run = context.Run;
        return await run.Gate.RunAsync(run.App.Datasets, effect.Statement, effect.Values, run.Writing, cancellation) switch
        {
            StatementResult.Done done => new Carried(
                outcome with
                {
                    // Which tables it touched only the database knows.
                    Everything = true,
                    Said = done.Rows == 1 ? "1 row changed." : $"{done.Rows} rows changed.",
                }
            )
            {
                Result = (decimal)done.Rows,
            },
            StatementResult.Denied denied => new Carried(outcome) { Failure = denied.Reason },
            StatementResult.Failed { Failure: { IsUncertain: true } } => new Carried(outcome) { Failure = SaveResult.Uncertain.Words },
            StatementResult.Failed failed => new Carried(outcome) { Failure = run.Words(failed.Failure) },
            _ => throw new InvalidOperationException("unknown result"),
        };
    }
}
