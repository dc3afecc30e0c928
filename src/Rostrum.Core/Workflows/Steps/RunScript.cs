using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Computes something with a script.</summary>
public sealed record RunScript : Step, IStepKind
{
    /// <summary>JavaScript: the value of <c>return</c> counts.</summary>
    public string Code { get; init; } = "";

    /// <summary>What it knows, by name: texts, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Inputs { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>A sample of what it gives, in JSON.</summary>
    public string Sample { get; init; } = "";

    /// <inheritdoc/>
    public override string ResultName => "result";

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types) => JsonShape.TypeOf(Sample, "result") ?? new FormulaType.Text();

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.Of(new StepEffect.RunScript(Code, Computed.Values(Inputs, scope.Value)));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking() => Code.Trim().Length == 0 ? ["The script is empty."] : [];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Run a script",
            () => new RunScript(),
            [
                Setting.Of<RunScript>(
                    "inputs",
                    "Inputs",
                    SettingPart.Content,
                    new SettingKind.NamedTexts(),
                    step => SettingKind.FieldTexts.Write(step.Inputs),
                    (step, text) => step with { Inputs = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }
                ),
                Setting.Of<RunScript>(
                    "code",
                    "Script (JavaScript)",
                    SettingPart.Content,
                    new SettingKind.Script(),
                    step => step.Code,
                    (step, text) => step with { Code = text }
                ) with
                {
                    Help = "What it returns is its result. It reaches neither files nor the network.",
                },
                Setting.Of<RunScript>(
                    "sample",
                    "Sample of the result (JSON)",
                    SettingPart.Content,
                    new SettingKind.Lines(),
                    step => step.Sample,
                    (step, text) => step with { Sample = text }
                ) with
                {
                    Help = "Names and types are read from it. Blank: a text.",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow | StepPlaces.Save,
            Icon = "braces",
        };
}
