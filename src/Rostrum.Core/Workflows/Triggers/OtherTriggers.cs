using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Triggers;

/// <summary>Somebody or something asks for it: a button's action, another workflow, or a builder by hand.</summary>
public sealed record OnDemand : Trigger, ITriggerKind
{
    /// <summary>What it is given: <c>trigger.…</c>.</summary>
    public ImmutableArray<PageParameter> Inputs { get; init; } = [];

    /// <summary>The longest for which rows are kept, in seconds.</summary>
    public const int LongestKept = 3_600;

    /// <summary>Where it is a dataset: for how many seconds its rows are kept; 0 keeps none.</summary>
    public int KeptSeconds { get; init; }

    /// <inheritdoc/>
    public override IEnumerable<KeyValuePair<string, FormulaType>> Members(WorkflowTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        return from input in Inputs
            let type = input.TypeFor(types.Members)
            where type is not null
            select KeyValuePair.Create(input.Name, type);
    }

    /// <inheritdoc/>
    public override string Says(DatasetCatalogue datasets) => "On demand";

    /// <inheritdoc/>
    public static new TriggerKind Kind { get; } =
        new(
            "On demand",
            "hand-index",
            "By a button’s action, by another workflow, or by hand.",
            () => new OnDemand(),
            [
                Setting.Of<OnDemand>(
                    "inputs",
                    "Inputs",
                    SettingPart.Content,
                    new SettingKind.Parameters(),
                    trigger => trigger.Inputs.IsEmpty ? "" : KindJson.Write(trigger.Inputs),
                    (trigger, text) =>
                        text.Length == 0 ? trigger with { Inputs = [] }
                        : KindJson.Read<PageParameter[]>(text) is { } inputs ? trigger with { Inputs = [.. inputs] }
                        : null
                ),
                SettingsOf<OnDemand>.Number(
                    "keptSeconds",
                    "Keep rows for (seconds)",
                    SettingPart.Behaviour,
                    0,
                    LongestKept,
                    trigger => trigger.KeptSeconds,
                    (trigger, seconds) => trigger with { KeptSeconds = seconds }
                ) with
                {
                    Help = "Where it finishes with a list and is used as a dataset. 0: it runs each time.",
                },
            ]
        );
}

/// <summary>What becomes of moments of a schedule at which nothing ran.</summary>
public enum MissedRuns
{
    /// <summary>It runs once for all of them.</summary>
    Once,

    /// <summary>They are passed over.</summary>
    Never,
}

/// <summary>At certain times, in the workspace's zone.</summary>
public sealed record OnSchedule : Trigger, ITriggerKind
{
    /// <summary>The times: minute, hour, day of the month, month, day of the week, as cron has them.</summary>
    public string Times { get; init; } = "0 6 * * *";

    /// <summary>What becomes of those that were missed.</summary>
    public MissedRuns Missed { get; init; }

    /// <inheritdoc/>
    public override bool HasPerson => false;

    /// <inheritdoc/>
    public override IEnumerable<KeyValuePair<string, FormulaType>> Members(WorkflowTypes types) => [new("at", new FormulaType.DateTime())];

    /// <inheritdoc/>
    public override string Says(DatasetCatalogue datasets) => CronWords.Of(Times);

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking(WorkflowTypes types) => CronTimes.Problem(Times) is { } problem ? [problem] : [];

    /// <inheritdoc/>
    public static new TriggerKind Kind { get; } =
        new(
            "On a schedule",
            "clock",
            "At certain times, such as each night at two.",
            () => new OnSchedule(),
            [
                Setting.Of<OnSchedule>(
                    "times",
                    "Times",
                    SettingPart.Content,
                    new SettingKind.CronTimes(),
                    trigger => trigger.Times,
                    (trigger, text) => trigger with { Times = text.Trim() }
                ),
                SettingsOf<OnSchedule>.Choice(
                    "missed",
                    "Missed runs",
                    SettingPart.Behaviour,
                    [(MissedRuns.Once, "run once, late"), (MissedRuns.Never, "skip them")],
                    trigger => trigger.Missed,
                    (trigger, missed) => trigger with { Missed = missed }
                ),
            ]
        );
}

/// <summary>How a caller of a webhook shows that it may call.</summary>
public enum CallerProof
{
    /// <summary>A bearer token in the header Authorization.</summary>
    Bearer,

    /// <summary>A signature of the body: HMAC with SHA-256, in hexadecimal.</summary>
    Signature,
}

/// <summary>Something outside calls its address.</summary>
public sealed record OnCall : Trigger, ITriggerKind
{
    /// <summary>The header in which a signature stands where nothing else is said.</summary>
    public const string UsualHeader = "X-Signature-256";

    /// <summary>How a caller shows that it may.</summary>
    public CallerProof Proof { get; init; }

    /// <summary>The name of the secret that proves it.</summary>
    public string Secret { get; init; } = "";

    /// <summary>The header in which the signature stands.</summary>
    public string SignatureHeader { get; init; } = UsualHeader;

    /// <summary>The header that tells one delivery from another: the same twice runs once. None where blank.</summary>
    public string DeliveryHeader { get; init; } = "";

    /// <summary>A sample of what is sent, in JSON: names and types are read from it.</summary>
    public string Sample { get; init; } = "";

    /// <summary>The caller waits for the result; otherwise it is answered at once.</summary>
    public bool Waits { get; init; }

    /// <inheritdoc/>
    public override bool HasPerson => false;

    /// <inheritdoc/>
    public override IEnumerable<KeyValuePair<string, FormulaType>> Members(WorkflowTypes types) =>
        JsonShape.TypeOf(Sample, "call") is FormulaType.Record { Shape: var shape } ? shape.Members : [];

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking(WorkflowTypes types)
    {
        if (Secret.Length == 0)
        {
            yield return "Choose the secret by which callers show that they may call.";
        }

        if (Sample.Trim().Length > 0 && JsonShape.TypeOf(Sample, "call") is not FormulaType.Record)
        {
            yield return "The sample is no JSON object.";
        }
    }

    /// <inheritdoc/>
    public override string Says(DatasetCatalogue datasets) => "When its address is called";

    /// <inheritdoc/>
    public static new TriggerKind Kind { get; } =
        new(
            "When its address is called",
            "broadcast",
            "A webhook: another program sends JSON or a form.",
            () => new OnCall(),
            [
                SettingsOf<OnCall>.Choice(
                    "proof",
                    "Proof",
                    SettingPart.Content,
                    [(CallerProof.Bearer, "bearer token"), (CallerProof.Signature, "signature (HMAC-SHA-256)")],
                    trigger => trigger.Proof,
                    (trigger, proof) => trigger with { Proof = proof }
                ),
                SettingsOf<OnCall>.Named(
                    "secret",
                    "Secret",
                    SettingPart.Content,
                    NamedThing.Secret,
                    trigger => trigger.Secret,
                    (trigger, text) => trigger with { Secret = text }
                ),
                Setting
                    .Of<OnCall>(
                        "signatureHeader",
                        "Header of the signature",
                        SettingPart.Content,
                        new SettingKind.Line(),
                        trigger => trigger.SignatureHeader,
                        (trigger, text) => trigger with { SignatureHeader = text.Trim() }
                    )
                    .Where<OnCall>(trigger => trigger.Proof is CallerProof.Signature),
                Setting.Of<OnCall>(
                    "deliveryHeader",
                    "Header of the delivery’s number",
                    SettingPart.Content,
                    new SettingKind.Line(),
                    trigger => trigger.DeliveryHeader,
                    (trigger, text) => trigger with { DeliveryHeader = text.Trim() }
                ) with
                {
                    Help = "The same number twice runs once. Blank: every call runs.",
                },
                SettingsOf<OnCall>.Toggle(
                    "waits",
                    "Answer with the result",
                    SettingPart.Content,
                    trigger => trigger.Waits,
                    (trigger, on) => trigger with { Waits = on }
                ),
                Setting.Of<OnCall>(
                    "sample",
                    "Sample (JSON)",
                    SettingPart.Content,
                    new SettingKind.Lines(),
                    trigger => trigger.Sample,
                    (trigger, text) => trigger with { Sample = text }
                ) with
                {
                    Help = "Names and types are read from it: trigger.…",
                },
            ]
        );
}
