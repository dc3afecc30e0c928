using System.Collections.Frozen;
using System.Text.Json;
using Rostrum.Core;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Workflows.Running;

/// <summary>What came of carrying out an effect of a run's step.</summary>
internal abstract record RunCarried
{
    private RunCarried() { }

    /// <summary>It was done.</summary>
    /// <param name="Result">What the step gives.</param>
    /// <param name="Output">What came of it, for people.</param>
    public sealed record Done(object? Result, string Output) : RunCarried;

    /// <summary>It was not done.</summary>
    /// <param name="Reason">Why.</param>
    /// <param name="Again">It may go another time.</param>
    public sealed record Failed(string Reason, bool Again = false) : RunCarried;

    /// <summary>It is not known whether it was done, and cannot be found out.</summary>
    public sealed record Uncertain(string Reason) : RunCarried;

    /// <summary>It is not known yet: it is asked a little later.</summary>
    public sealed record AskLater : RunCarried;

    /// <summary>The step waits for somebody's decision, or for another run.</summary>
    public sealed record Waits(string Output) : RunCarried;
}

/// <summary>What carriers have at hand.</summary>
/// <param name="Services">The services.</param>
/// <param name="Store">The store in which the run is kept: what is added to it is saved with the run, or not at all.</param>
/// <param name="Run">The run.</param>
/// <param name="Workflow">Its workflow.</param>
/// <param name="Due">The step.</param>
/// <param name="Entry">Its entry in the log.</param>
/// <param name="Scope">The step's names.</param>
/// <param name="Reading">Reads records with the run's rights.</param>
/// <param name="Workspace">The workspace.</param>
/// <param name="Cancellation">Ends the work.</param>
internal sealed record RunContext(
    IServiceProvider Services,
    RostrumStore Store,
    WorkflowRun Run,
    Workflow Workflow,
    DueStep Due,
    WorkflowRunStep Entry,
    RunScope Scope,
    RunReading Reading,
    Workspace Workspace,
    CancellationToken Cancellation
)
{
    public T Get<T>()
        where T : notnull => Services.GetRequiredService<T>();

    /// <summary>A key of the step's effect that is the same for each try.</summary>
    public string EffectKey => $"rostrum-{Run.Id}-{Due.Path}";
}

/// <summary>How an effect is carried out so that it is done once.</summary>
internal enum EffectSafety
{
    /// <summary>It is kept in the store, with the run itself: both or neither.</summary>
    WithTheRun,

    /// <summary>It changes nothing: it can be done again.</summary>
    Harmless,

    /// <summary>It is done elsewhere: that it begins is written down first.</summary>
    Outside,
}

/// <summary>
/// Carries out one kind of effect in the background. A class that derives from <see cref="RunCarrier{T}"/> is found by being there.
/// </summary>
internal abstract class RunCarrier
{
    private static readonly FrozenDictionary<Type, RunCarrier> Known = FoundClasses
        .Of<RunCarrier>()
        .ToFrozenDictionary(carrier => carrier.Effect);

    public abstract Type Effect { get; }

    /// <summary>How it is seen to that it is done once.</summary>
    public abstract EffectSafety Safety { get; }

    /// <summary>It touches nothing of the run's own: several may be carried out at once.</summary>
    public virtual bool GoesSideBySide => false;

    /// <summary>Who carries out an effect; null where it cannot be done in the background.</summary>
    public static RunCarrier? For(StepEffect effect) => Known.GetValueOrDefault(effect.GetType());

    /// <summary>What it is about to do, for people.</summary>
    public abstract string Says(StepEffect effect, RunContext context);

    public abstract Task<RunCarried> CarryAsync(StepEffect effect, RunContext context);

    /// <summary>Finds out what became of it where a node was lost while it was being done; null where it is done anew.</summary>
    public virtual Task<RunCarried?> RecoverAsync(StepEffect effect, RunContext context) => Task.FromResult<RunCarried?>(null);
}

/// <inheritdoc/>
internal abstract class RunCarrier<T> : RunCarrier
    where T : StepEffect
{
    public sealed override Type Effect => typeof(T);

    public sealed override string Says(StepEffect effect, RunContext context) => Says((T)effect, context);

    public sealed override Task<RunCarried> CarryAsync(StepEffect effect, RunContext context) => CarryAsync((T)effect, context);

    public sealed override Task<RunCarried?> RecoverAsync(StepEffect effect, RunContext context) => RecoverAsync((T)effect, context);

    protected abstract string Says(T effect, RunContext context);

    protected abstract Task<RunCarried> CarryAsync(T effect, RunContext context);

    protected virtual Task<RunCarried?> RecoverAsync(T effect, RunContext context) => Task.FromResult<RunCarried?>(null);
}
