using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Sends a mail.</summary>
public sealed record SendMail : Step, IStepKind
{
    /// <summary>Recipients with commas between them, or a formula for them after <c>=</c>.</summary>
    public string To { get; init; } = "";

    /// <summary>What it is about.</summary>
    public string Subject { get; init; } = "";

    /// <summary>What it says: Markdown with values in it.</summary>
    public string Body { get; init; } = "";

    /// <summary>The files that go with it, by their names: texts, or formulas after <c>=</c> for a text or a list.</summary>
    public ImmutableDictionary<string, string> Attachments { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Setting.Split(scope.Text(To)) switch
        {
            [] => StepOutcome.Failed("There is nobody to whom the mail goes."),
            var to => StepOutcome.Of(
                new StepEffect.SendMail(to, scope.Filled(Subject), scope.Filled(Body))
                {
                    Attachments = Computed.Values(Attachments, scope.Value),
                }
            ),
        };
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (To.Length == 0)
        {
            yield return "The mail goes to nobody: say to whom.";
        }

        if (Subject.Length == 0)
        {
            yield return "The mail has no subject.";
        }
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Send a mail",
            () => new SendMail(),
            [
                Setting.Of<SendMail>(
                    "to",
                    "To",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.To,
                    (step, text) => step with { To = text }
                ) with
                {
                    Help = "Addresses with commas between them, or = and a formula.",
                },
                Setting.Of<SendMail>(
                    "subject",
                    "Subject",
                    SettingPart.Content,
                    new SettingKind.Template(),
                    step => step.Subject,
                    (step, text) => step with { Subject = text }
                ),
                Setting.Of<SendMail>(
                    "body",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Body,
                    (step, text) => step with { Body = text }
                ) with
                {
                    Help = "Write values as ${ formula }.",
                },
                Setting.Of<SendMail>(
                    "attachments",
                    "Attachments",
                    SettingPart.Behaviour,
                    new SettingKind.NamedTexts(),
                    step => SettingKind.FieldTexts.Write(step.Attachments),
                    (step, text) => step with { Attachments = SettingKind.FieldTexts.Map(text)!.ToImmutableDictionary() }
                ) with
                {
                    Help = "A file’s name, and its text or = a formula. A list becomes a table (CSV).",
                },
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "envelope",
        };
}
