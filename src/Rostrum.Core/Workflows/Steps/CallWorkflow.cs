using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Runs another workflow.</summary>
public sealed record CallWorkflow : Step, IStepKind
{
    /// <summary>Its name.</summary>
    public string Workflow { get; init; } = "";

    /// <summary>What it is given, by the names of its inputs: texts, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Values { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>It is done once that has ended.</summary>
    public bool Waits { get; init; } = true;

    /// <summary>A sample of its result, in JSON: names and types are read from it.</summary>
    public string Sample { get; init; } = "";

    /// <inheritdoc/>
    public override string ResultName => "called";

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types) =>
        new FormulaType.Record(
            new FormulaShape(
                "run",
                [
                    new("ended", new FormulaType.Text()),
                    new("message", new FormulaType.Text()),
                    new("result", JsonShape.TypeOf(Sample, "result") ?? new FormulaType.Text()),
                ]
            )
        );

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.Of(
            new StepEffect.RunWorkflow(Workflow, Computed.Values(Values, scope.Value, StringComparer.OrdinalIgnoreCase), Waits)
        );
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Workflow.Length == 0 ? ["Choose the workflow that it runs."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Run a workflow",
            () => new CallWorkflow(),
            [
                SettingsOf<CallWorkflow>.Named(
                    "workflow",
                    "Workflow",
                    SettingPart.Content,
                    NamedThing.Workflow,
                    step => step.Workflow,
                    (step, text) => step with { Workflow = text }
                ),
                Setting.Of<CallWorkflow>(
                    "values",
                    "Inputs",
                    SettingPart.Content,
                    new SettingKind.NamedTexts(),
                    step => SettingKind.FieldTexts.Write(step.Values),
                    (step, text) => step with { Values = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }
                ),
                SettingsOf<CallWorkflow>.Toggle(
                    "waits",
                    "Wait for its end",
                    SettingPart.Behaviour,
                    step => step.Waits,
                    (step, on) => step with { Waits = on }
                ),
                Setting
                    .Of<CallWorkflow>(
                        "sample",
                        "Sample of the result (JSON)",
                        SettingPart.Behaviour,
                        new SettingKind.Lines(),
                        step => step.Sample,
                        (step, text) => step with { Sample = text }
                    )
                    .Where<CallWorkflow>(step => step.Waits) with
                {
                    Help = "Names and types are read from it. Blank: a text.",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Page,
            Icon = "diagram-3",
        };
}
