using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>A case of a decision.</summary>
/// <param name="When">A formula: that is true or false, or, where the decision has a subject, the value that it must have.</param>
/// <param name="Steps">What is done then.</param>
public sealed record DecisionCase(string When, ImmutableArray<FlowStep> Steps);

/// <summary>Does the steps of the first case that holds, or those for none.</summary>
public sealed record Decide : ControlStep, IStepKind
{
    /// <summary>A formula whose value the cases are held against; null where each case is a condition of its own.</summary>
    public string Subject { get; init; } = "";

    /// <summary>The cases.</summary>
    public ImmutableArray<DecisionCase> Cases { get; init; } = [new DecisionCase("", [])];

    /// <summary>What is done where no case holds.</summary>
    public ImmutableArray<FlowStep> Otherwise { get; init; } = [];

    /// <inheritdoc/>
    public override ImmutableArray<StepBlock> Blocks =>
        [
            .. Cases.Select(known => new StepBlock(
                known.When.Length == 0 ? "if …"
                    : Subject.Length > 0 ? $"{Subject} is {known.When}"
                    : $"if {known.When}",
                known.Steps
            )),
            new StepBlock("otherwise", Otherwise),
        ];

    /// <inheritdoc/>
    public override ControlStep With(ImmutableArray<StepBlock> blocks) =>
        this with
        {
            Cases = [.. Cases.Select((known, at) => known with { Steps = blocks[at].Steps })],
            Otherwise = blocks[^1].Steps,
        };

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var subject = Subject.Length > 0 ? $"({Subject}) = " : "";
        for (var at = 0; at < Cases.Length; at++)
        {
            if (scope.Value(subject.Length > 0 ? $"{subject}({Cases[at].When})" : Cases[at].When) is true)
            {
                return StepOutcome.On(new StepFlow.Enters([at]));
            }
        }

        return StepOutcome.On(new StepFlow.Enters([Cases.Length]));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() =>
        Cases.Any(known => string.IsNullOrWhiteSpace(known.When)) ? ["A case has no condition."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Decide",
            () => new Decide(),
            [
                Setting.Of<Decide>(
                    "subject",
                    "Value to compare",
                    SettingPart.Content,
                    new SettingKind.Formula(null),
                    step => step.Subject,
                    (step, text) => step with { Subject = text.Trim() }
                ) with
                {
                    Help = "Blank: each case is a condition of its own.",
                },
                Setting.Of<Decide>(
                    "cases",
                    "Cases",
                    SettingPart.Content,
                    new SettingKind.Cases(),
                    step => SettingKind.Cases.Write(step.Cases.Select(known => known.When)),
                    (step, text) =>
                        step with
                        {
                            Cases =
                            [
                                .. SettingKind
                                    .Cases.Read(text)
                                    .Select((when, at) => new DecisionCase(when, at < step.Cases.Length ? step.Cases[at].Steps : [])),
                            ],
                        }
                ),
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Save,
            Icon = "signpost-split",
        };
}

/// <summary>Does its steps for each of several: one after the other, or some at once.</summary>
public sealed record ForEach : ControlStep, IStepKind
{
    /// <summary>The most that a list may have.</summary>
    public const int MostItems = 10_000;

    /// <summary>How many it takes where nothing else is said.</summary>
    public const int UsualLimit = 1_000;

    /// <summary>A formula for a list.</summary>
    public string List { get; init; } = "";

    /// <summary>The name that its steps have for the one whose turn it is.</summary>
    public string ItemName { get; init; } = "item";

    /// <summary>A longer list fails.</summary>
    public int Limit { get; init; } = UsualLimit;

    /// <summary>The most for which its steps may be done at once.</summary>
    public const int MostAtOnce = 10;

    /// <summary>For how many its steps are done at once.</summary>
    public int AtOnce { get; init; } = 1;

    /// <summary>Where its steps fail for one, they are done for the others all the same.</summary>
    public bool GoesOn { get; init; }

    /// <summary>The step whose results it gives as a list, by its identity; none where null.</summary>
    public string? Collected { get; init; }

    /// <summary>What is done for each.</summary>
    public ImmutableArray<FlowStep> Steps { get; init; } = [];

    /// <inheritdoc/>
    public override ImmutableArray<StepBlock> Blocks => [new StepBlock($"for each {ItemName}", Steps)];

    /// <inheritdoc/>
    public override ControlStep With(ImmutableArray<StepBlock> blocks) => this with { Steps = blocks[0].Steps };

    /// <inheritdoc/>
    public override string ResultName => "each";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return scope.Value(List) switch
        {
            IReadOnlyList<object?> items when items.Count > Limit => StepOutcome.Failed(
                $"The list has {items.Count:N0}, and this step takes {Limit:N0} at most."
            ),
            IReadOnlyList<object?> items => StepOutcome.On(new StepFlow.Repeats(items)),
            _ => StepOutcome.On(new StepFlow.Repeats([])),
        };
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (List.Length == 0)
        {
            yield return "It has no list: say for each of what.";
        }

        if (!StepName.IsSound(ItemName) || ItemName is Trigger.InFormulas or StepName.Results or Access.SignedIn.InFormulas)
        {
            yield return $"“{ItemName}” is no name for each of them.";
        }
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "For each",
            () => new ForEach(),
            [
                Setting.Of<ForEach>(
                    "list",
                    "List",
                    SettingPart.Content,
                    new SettingKind.Formula(null) { IsList = true },
                    step => step.List,
                    (step, text) => step with { List = text.Trim() }
                ) with
                {
                    Help = "Such as steps.found.",
                },
                Setting.Of<ForEach>(
                    "itemName",
                    "Name of each",
                    SettingPart.Content,
                    new SettingKind.Line(),
                    step => step.ItemName,
                    (step, text) => step with { ItemName = text.Trim() }
                ),
                SettingsOf<ForEach>.Number(
                    "limit",
                    "Limit",
                    SettingPart.Behaviour,
                    1,
                    MostItems,
                    step => step.Limit,
                    (step, limit) => step with { Limit = limit }
                ),
                SettingsOf<ForEach>.Number(
                    "atOnce",
                    "At once",
                    SettingPart.Behaviour,
                    1,
                    MostAtOnce,
                    step => step.AtOnce,
                    (step, number) => step with { AtOnce = number }
                ),
                SettingsOf<ForEach>.Toggle(
                    "goesOn",
                    "Go on after a failure",
                    SettingPart.Behaviour,
                    step => step.GoesOn,
                    (step, on) => step with { GoesOn = on }
                ),
                Setting.Of<ForEach>(
                    "collected",
                    "Collect the results of",
                    SettingPart.Behaviour,
                    new SettingKind.SomeNamed(NamedThing.InnerStep),
                    step => step.Collected,
                    (step, text) => step with { Collected = Setting.Blank(text) }
                ),
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "arrow-repeat",
        };
}

/// <summary>Does several lists of steps side by side, and waits until all are done.</summary>
public sealed record Parallel : ControlStep, IStepKind
{
    /// <summary>The lists.</summary>
    public ImmutableArray<StepBlock> Branches { get; init; } = [new StepBlock("first", []), new StepBlock("second", [])];

    /// <inheritdoc/>
    public override ImmutableArray<StepBlock> Blocks => Branches;

    /// <inheritdoc/>
    public override ControlStep With(ImmutableArray<StepBlock> blocks) => this with { Branches = blocks };

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => StepOutcome.On(new StepFlow.Enters([.. Enumerable.Range(0, Branches.Length)]));

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Side by side",
            () => new Parallel(),
            [
                Setting.Of<Parallel>(
                    "branches",
                    "Branches",
                    SettingPart.Content,
                    new SettingKind.Lines(),
                    step => string.Join('\n', step.Branches.Select(branch => branch.Label)),
                    (step, text) =>
                        Labels(text) is { Length: > 0 } labels
                            ? step with
                            {
                                Branches =
                                [
                                    .. labels.Select(
                                        (label, at) => new StepBlock(label, at < step.Branches.Length ? step.Branches[at].Steps : [])
                                    ),
                                ],
                            }
                            : null
                ) with
                {
                    Help = "One name a line. A line less takes its steps with it.",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "layout-three-columns",
        };

    private static string[] Labels(string text) => text.Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
}

/// <summary>Does steps, and others where one of them fails.</summary>
public sealed record Attempt : ControlStep, IStepKind
{
    /// <summary>What is done.</summary>
    public ImmutableArray<FlowStep> Steps { get; init; } = [];

    /// <summary>What is done where one of them fails; <c>failure.message</c> says why.</summary>
    public ImmutableArray<FlowStep> OnFailure { get; init; } = [];

    /// <inheritdoc/>
    public override ImmutableArray<StepBlock> Blocks => [new StepBlock("try", Steps), new StepBlock("on failure", OnFailure)];

    /// <inheritdoc/>
    public override ControlStep With(ImmutableArray<StepBlock> blocks) =>
        this with
        {
            Steps = blocks[0].Steps,
            OnFailure = blocks[1].Steps,
        };

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => StepOutcome.On(new StepFlow.Enters([0]));

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new("Try, and on failure", () => new Attempt(), []) { Places = StepPlaces.Workflow, Icon = "bandaid" };
}
