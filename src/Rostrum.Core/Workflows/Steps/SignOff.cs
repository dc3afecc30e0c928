using System.Collections.Immutable;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Asks people to decide, and waits for it.</summary>
public sealed record SignOff : Step, IStepKind
{
    /// <summary>Who decides: addresses, roles and groups with commas between them, or a formula for them after <c>=</c>.</summary>
    public string Who { get; init; } = "";

    /// <summary>What is asked.</summary>
    public string Question { get; init; } = "";

    /// <summary>What there is to know: Markdown with values in it.</summary>
    public string Text { get; init; } = "";

    /// <summary>The answers, one a line.</summary>
    public string Answers { get; init; } = "Yes\nNo";

    /// <summary>The answers that need a comment, one a line.</summary>
    public string NeedsComment { get; init; } = "No";

    /// <summary>What whoever decides fills in besides.</summary>
    public ImmutableArray<PageParameter> Fields { get; init; } = [];

    /// <summary>By when, in hours: a number or a formula after <c>=</c>; no limit where blank.</summary>
    public string Hours { get; init; } = "";

    /// <summary>Who is asked as well once it is overdue.</summary>
    public string EscalatesTo { get; init; } = "";

    /// <summary>The record that it is about: a formula; none where null.</summary>
    public string? About { get; init; }

    /// <inheritdoc/>
    public override string ResultName => "decision";

    /// <summary>The answers.</summary>
    public ImmutableArray<string> AllAnswers => Lines(Answers);

    /// <inheritdoc/>
    public override FormulaType Gives(MemberTypes types)
    {
        ArgumentNullException.ThrowIfNull(types);
        var fields =
            from field in Fields
            let type = field.TypeFor(types)
            where type is not null
            select KeyValuePair.Create(field.Name, type);
        return new FormulaType.Record(
            new FormulaShape(
                "decision",
                [
                    new("answer", new FormulaType.Choice(AllAnswers) { IsClosed = true }),
                    new("by", new FormulaType.Text()),
                    new("comment", new FormulaType.Text()),
                    new("at", new FormulaType.DateTime()),
                    .. fields.Where(field => !Own.Contains(field.Key)),
                ]
            )
        );
    }

    // What every decision has.
    private static readonly ImmutableArray<string> Own = ["answer", "by", "comment", "at"];

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        if (Setting.Split(scope.Text(Who)) is not { IsEmpty: false } who)
        {
            return StepOutcome.Failed("There is nobody who could decide.");
        }

        var hours =
            Hours.Length == 0 ? null
            : Computed.IsFormula(Hours) ? scope.Value(Hours[1..]) as decimal?
            : Computed.Number(Hours);
        return StepOutcome.Of(
            new StepEffect.AskForDecision(
                who,
                scope.Filled(Question),
                scope.Filled(Text),
                AllAnswers,
                hours is { } limit ? scope.Now.AddHours((double)limit) : null,
                Setting.Split(scope.Text(EscalatesTo)),
                scope.Record(About)
            )
            {
                NeedsComment = Lines(NeedsComment),
                Fields = Fields,
            }
        );
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (Who.Length == 0)
        {
            yield return "It asks nobody: say who decides.";
        }

        if (Question.Length == 0)
        {
            yield return "It has no question.";
        }

        if (AllAnswers.Length < 1)
        {
            yield return "It has no answers to choose from.";
        }

        foreach (var field in Fields)
        {
            if (Own.Contains(field.Name))
            {
                yield return $"“{field.Name}” is what every decision has: give the field another name.";
            }

            if (field.Dataset is not null)
            {
                yield return $"“{field.Name}” is a record: a sign-off takes texts, numbers, dates, and yes or no.";
            }
        }
    }

    private static ImmutableArray<string> Lines(string text) =>
        [.. text.Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Distinct()];

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Ask for a sign-off",
            () => new SignOff(),
            [
                Setting.Of<SignOff>(
                    "who",
                    "Who decides",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Who,
                    (step, text) => step with { Who = text }
                ) with
                {
                    Help = "Addresses, roles or groups with commas between them, or = and a formula.",
                },
                Setting.Of<SignOff>(
                    "question",
                    "Question",
                    SettingPart.Content,
                    new SettingKind.Template(),
                    step => step.Question,
                    (step, text) => step with { Question = text }
                ),
                Setting.Of<SignOff>(
                    "text",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Text,
                    (step, text) => step with { Text = text }
                ),
                Notify.AboutSetting<SignOff>(step => step.About, (step, text) => step with { About = text }),
                Setting.Of<SignOff>(
                    "answers",
                    "Answers",
                    SettingPart.Behaviour,
                    new SettingKind.Lines(),
                    step => step.Answers,
                    (step, text) => step with { Answers = text }
                ) with
                {
                    Help = "One a line.",
                },
                Setting.Of<SignOff>(
                    "needsComment",
                    "Answers that need a comment",
                    SettingPart.Behaviour,
                    new SettingKind.Lines(),
                    step => step.NeedsComment,
                    (step, text) => step with { NeedsComment = text }
                ),
                Setting.Of<SignOff>(
                    "fields",
                    "Fields to fill in",
                    SettingPart.Behaviour,
                    new SettingKind.Parameters(),
                    step => step.Fields.IsEmpty ? "" : KindJson.Write(step.Fields),
                    (step, text) =>
                        text.Length == 0 ? step with { Fields = [] }
                        : KindJson.Read<PageParameter[]>(text) is { } fields ? step with { Fields = [.. fields] }
                        : null
                ),
                Setting.Of<SignOff>(
                    "hours",
                    "Due within (hours)",
                    SettingPart.Behaviour,
                    new SettingKind.Line(new FormulaType.Number()),
                    step => step.Hours,
                    (step, text) => step with { Hours = text.Trim() }
                ),
                Setting.Of<SignOff>(
                    "escalatesTo",
                    "When overdue, ask as well",
                    SettingPart.Behaviour,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.EscalatesTo,
                    (step, text) => step with { EscalatesTo = text }
                ),
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "person-check",
        };
}
