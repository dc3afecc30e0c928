using System.Collections.Frozen;
using System.Collections.Immutable;
using Rostrum.Core;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Datasets;
using Rostrum.Sources;

namespace Rostrum.Web.Live.Actions;

/// <summary>Carries out one kind of effect. A class that derives from <see cref="EffectCarrier{T}"/> is found by being there.</summary>
internal abstract class EffectCarrier
{
    private static readonly FrozenDictionary<Type, EffectCarrier> Known = FoundClasses
        .Of<EffectCarrier>()
        .ToFrozenDictionary(carrier => carrier.Effect);

    /// <summary>The kind of effect.</summary>
    public abstract Type Effect { get; }

    /// <summary>Who carries out an effect.</summary>
    public static EffectCarrier For(StepEffect effect) => Known[effect.GetType()];

    public abstract Task<Carried> CarryAsync(
        StepEffect effect,
        ActionOutcome outcome,
        ActionContext context,
        CancellationToken cancellation
    );
}

/// <inheritdoc/>
internal abstract class EffectCarrier<T> : EffectCarrier
    where T : StepEffect
{
    public sealed override Type Effect => typeof(T);

    public sealed override Task<Carried> CarryAsync(
        StepEffect effect,
        ActionOutcome outcome,
        ActionContext context,
        CancellationToken cancellation
    ) => CarryAsync((T)effect, outcome, context, cancellation);

    protected abstract Task<Carried> CarryAsync(T effect, ActionOutcome outcome, ActionContext context, CancellationToken cancellation);
}

/// <summary>What came of carrying out an effect.</summary>
/// <param name="Outcome">What has come of the action so far.</param>
internal sealed record Carried(ActionOutcome Outcome)
{
    /// <summary>Why it could not be carried out; null where it was.</summary>
    public string? Failure { get; init; }

    /// <summary>What was saved.</summary>
    public (Dataset Dataset, SavedChange Change)? Saved { get; init; }

    /// <summary>What the step gives to those after it.</summary>
    public object? Result { get; init; }
}

/// <summary>What carriers have at hand.</summary>
/// <param name="Services">The services.</param>
/// <param name="Run">The page.</param>
/// <param name="WantsResult">Later steps have a name for what comes of it.</param>
/// <param name="Again">Decides once more what the step does, over what is there at that moment: for a record that is locked.</param>
internal sealed record ActionContext(
    IServiceProvider Services,
    PageRun Run,
    bool WantsResult,
    Func<RecordGate, CancellationToken, Task<Decided>> Again
);
