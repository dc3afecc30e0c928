using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Stops, and says why. Before a save it stops that as well.</summary>
public sealed record StopWithMessage : Step, IStepKind
{
    /// <summary>What is said, or a formula for it.</summary>
    public string Message { get; init; } = "";

    /// <summary>Before a save: the field at which it stands; the whole record where blank.</summary>
    public string Field { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.On(new StepFlow.Ends(RunEnding.Stopped, scope.Text(Message), Setting.Blank(Field), null));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Message.Length == 0 ? ["It stops without a message."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Stop with a message",
            () => new StopWithMessage(),
            [
                Setting.Of<StopWithMessage>(
                    "message",
                    "Message",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Message,
                    (step, text) => step with { Message = text }
                ),
                Setting.Of<StopWithMessage>(
                    "field",
                    "At the field",
                    SettingPart.Content,
                    new SettingKind.SomeNamed(NamedThing.TriggerField),
                    step => step.Field,
                    (step, text) => step with { Field = text }
                ),
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Save,
            Icon = "sign-stop",
        };
}

/// <summary>Ends the run: nothing is left to do.</summary>
public sealed record Finish : Step, IStepKind
{
    /// <summary>What it gives to whoever called it: a formula; nothing where blank.</summary>
    public string Value { get; init; } = "";

    /// <summary>What whoever set it off is told, with values in it.</summary>
    public string Message { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.On(
            new StepFlow.Ends(RunEnding.Done, Setting.Blank(scope.Filled(Message)), null, Value.Length == 0 ? null : scope.Value(Value))
        );
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Finish",
            () => new Finish(),
            [
                Setting.Of<Finish>(
                    "value",
                    "Result",
                    SettingPart.Content,
                    new SettingKind.Formula(null) { IsAnything = true },
                    step => step.Value,
                    (step, text) => step with { Value = text.Trim() }
                ) with
                {
                    Help = "What whoever called it gets. Blank: nothing.",
                },
                Setting.Of<Finish>(
                    "message",
                    "Message",
                    SettingPart.Content,
                    new SettingKind.Template(),
                    step => step.Message,
                    (step, text) => step with { Message = text }
                ) with
                {
                    Help = "What whoever pressed the button reads. Write values as ${ formula }.",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Save,
            Icon = "check2-circle",
        };
}

/// <summary>Computes a value for later steps.</summary>
public sealed record ComputeValue : Step, IStepKind
{
    /// <summary>The formula.</summary>
    public string Formula { get; init; } = "";

    /// <inheritdoc/>
    public override string ResultName => "value";

    /// <inheritdoc/>
    public override FormulaType? Gives(MemberTypes types, Func<string, FormulaType?> typeOf)
    {
        ArgumentNullException.ThrowIfNull(typeOf);
        return typeOf(Formula);
    }

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.On(new StepFlow.Gives(scope.Value(Formula)));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Formula.Length == 0 ? ["It has no formula."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Compute a value",
            () => new ComputeValue(),
            [
                Setting.Of<ComputeValue>(
                    "formula",
                    "Formula",
                    SettingPart.Content,
                    new SettingKind.Formula(null) { IsAnything = true },
                    step => step.Formula,
                    (step, text) => step with { Formula = text.Trim() }
                ),
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Save,
            Icon = "calculator",
        };
}

/// <summary>Before a save: other values are saved than were entered.</summary>
public sealed record AmendValues : Step, IStepKind
{
    /// <summary>Values for fields: as they stand, or formulas after <c>=</c>.</summary>
    public System.Collections.Immutable.ImmutableDictionary<string, string> Values { get; init; } =
        System.Collections.Immutable.ImmutableDictionary<string, string>.Empty;

    /// <summary>The dataset of the record that is saved.</summary>
    public DatasetId? Dataset { get; init; }

    /// <inheritdoc/>
    public override DatasetId? Of => Dataset;

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Dataset is { } id && scope.Datasets.Find(id) is { } dataset
            ? FieldTexts.Read(scope, dataset, Values) switch
            {
                (_, { } problem) => StepOutcome.Failed(problem),
                var (values, _) => StepOutcome.Of(new StepEffect.Amend(values)),
            }
            : StepOutcome.Failed("A step names no dataset.");
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Dataset is null ? ["Choose the dataset that its trigger has."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Amend what is saved",
            () => new AmendValues(),
            [
                SettingsOf<AmendValues>.Dataset("Dataset", step => step.Dataset, (step, id) => step with { Dataset = id }),
                SettingsOf<AmendValues>.Texts(
                    "values",
                    "Values",
                    SettingPart.Content,
                    new(Computed: true, Into: true),
                    step => step.Values,
                    (step, texts) => step with { Values = texts }
                ),
            ]
        )
        {
            Places = StepPlaces.Save,
            Icon = "pencil-square",
        };
}

/// <summary>Waits for a time, until a moment, or until something holds.</summary>
public sealed record Wait : Step, IStepKind
{
    private static readonly TimeSpan Often = TimeSpan.FromMinutes(1);

    /// <summary>For how many minutes: a number, or a formula after <c>=</c>.</summary>
    public string Minutes { get; init; } = "";

    /// <summary>Until when: a formula for a date or a moment.</summary>
    public string Until { get; init; } = "";

    /// <summary>Until it holds: a formula. It is asked each minute; where it does not hold in time the step gives FALSE.</summary>
    public string Condition { get; init; } = "";

    /// <inheritdoc/>
    public override string ResultName => "waited";

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types) => new FormulaType.Boolean();

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var begun = scope.Begun ?? scope.Now;
        DateTimeOffset? end =
            Minutes.Length > 0 ? begun + TimeSpan.FromMinutes((double)(Number(scope) ?? 0))
            : Until.Length > 0 ? Moment(scope)
            : null;
        if (Condition.Length > 0 && scope.Value(Condition) is true)
        {
            return StepOutcome.On(new StepFlow.Gives(true));
        }

        if (end is null && Condition.Length == 0)
        {
            return StepOutcome.Failed("The moment for which it waits is blank.");
        }

        if (end is { } over && scope.Now >= over)
        {
            return StepOutcome.On(new StepFlow.Gives(Condition.Length == 0));
        }

        var next = scope.Now + Often;
        return StepOutcome.On(new StepFlow.Waits(Condition.Length == 0 || end < next ? end!.Value : next));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (Minutes.Length + Until.Length + Condition.Length == 0)
        {
            yield return "Say for how long it waits, until when, or for what.";
        }

        if (Minutes.Length > 0 && !Apps.Computed.IsFormula(Minutes) && Apps.Computed.Number(Minutes) is not >= 0)
        {
            yield return "The minutes for which it waits are no number.";
        }
    }

    private decimal? Number(IStepScope scope) =>
        Apps.Computed.IsFormula(Minutes) ? scope.Value(Minutes[1..]) as decimal? : Apps.Computed.Number(Minutes);

    private DateTimeOffset? Moment(IStepScope scope) =>
        scope.Value(Until) switch
        {
            DateTimeOffset moment => moment,
            DateOnly day => scope.StartOf(day),
            _ => null,
        };

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Wait",
            () => new Wait(),
            [
                Setting.Of<Wait>(
                    "minutes",
                    "Minutes",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Number()),
                    step => step.Minutes,
                    (step, text) => step with { Minutes = text.Trim() }
                ),
                Setting.Of<Wait>(
                    "until",
                    "Until the moment",
                    SettingPart.Content,
                    new SettingKind.Formula(null),
                    step => step.Until,
                    (step, text) => step with { Until = text.Trim() }
                ),
                Setting.Of<Wait>(
                    "condition",
                    "Until this holds",
                    SettingPart.Content,
                    new SettingKind.Formula(new FormulaType.Boolean()),
                    step => step.Condition,
                    (step, text) => step with { Condition = text.Trim() }
                ) with
                {
                    Help = "Asked each minute. With a time as well: no longer than that.",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "hourglass-split",
        };
}
