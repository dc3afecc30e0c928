using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;

namespace Rostrum.Core.Workflows.Steps;

/// <summary>Puts a message into people's inboxes.</summary>
public sealed record Notify : Step, IStepKind
{
    /// <summary>Addresses, roles and groups with commas between them, or a formula for them after <c>=</c>.</summary>
    public string To { get; init; } = "";

    /// <summary>What it is about.</summary>
    public string Title { get; init; } = "";

    /// <summary>What it says.</summary>
    public string Text { get; init; } = "";

    /// <summary>The record that it is about: a formula; none where null.</summary>
    public string? About { get; init; }

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return Setting.Split(scope.Text(To)) switch
        {
            [] => StepOutcome.Failed("There is nobody who is told."),
            var to => StepOutcome.Of(new StepEffect.Notify(to, scope.Filled(Title), scope.Filled(Text), scope.Record(About))),
        };
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Lacking()
    {
        if (To.Length == 0)
        {
            yield return "There is nobody to tell: say whom.";
        }

        if (Title.Length == 0)
        {
            yield return "The message has no title.";
        }
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Tell people in their inbox",
            () => new Notify(),
            [
                Setting.Of<Notify>(
                    "to",
                    "To",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.To,
                    (step, text) => step with { To = text }
                ) with
                {
                    Help = "Addresses, roles or groups with commas between them, or = and a formula.",
                },
                Setting.Of<Notify>(
                    "title",
                    "Title",
                    SettingPart.Content,
                    new SettingKind.Template(),
                    step => step.Title,
                    (step, text) => step with { Title = text }
                ),
                Setting.Of<Notify>(
                    "text",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Prose(),
                    step => step.Text,
                    (step, text) => step with { Text = text }
                ),
                AboutSetting<Notify>(step => step.About, (step, text) => step with { About = text }),
            ]
        )
        {
            Places = StepPlaces.Workflow,
            Icon = "inbox",
        };

    internal static Setting AboutSetting<T>(Func<T, string?> get, Func<T, string?, T> set)
        where T : class =>
        Setting.Of(
            "about",
            "Record that it is about",
            SettingPart.Content,
            new SettingKind.Formula(null) { IsAnything = true },
            get,
            (T step, string text) => set(step, Setting.Blank(text.Trim()))
        ) with
        {
            Help = "Such as trigger.record. Blank: none.",
        };
}
