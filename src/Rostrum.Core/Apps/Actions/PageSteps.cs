using System.Collections.Immutable;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;
using static Rostrum.Core.Apps.Settings.Setting;

namespace Rostrum.Core.Apps.Actions;

/// <summary>Goes to another page of the app.</summary>
public sealed record OpenPage : PageStep, IStepKind
{
    /// <summary>The page's address.</summary>
    public string Page { get; init; } = "";

    /// <summary>Values for the page's parameters: as they stand, or formulas after <c>=</c>.</summary>
    public ImmutableDictionary<string, string> Parameters { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <inheritdoc/>
    public override string? LeadsToPage => Page;

    /// <inheritdoc/>
    public override bool IsLink => true;

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var values = Parameters.Select(parameter =>
            KeyValuePair.Create(parameter.Key, Computed.IsFormula(parameter.Value) ? scope.Value(parameter.Value[1..]) : parameter.Value)
        );
        return StepOutcome.Of(new StepEffect.GoToPage(Page, [.. values]));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Problems(AppDefinition app, Page page)
    {
        ArgumentNullException.ThrowIfNull(app);
        if (app.Find(Page) is not { } known)
        {
            return [Page.Length == 0 ? "A step opens a page: choose which." : $"A step opens the page “{Page}”, which is not there."];
        }

        return Parameters
            .Keys.Where(name => known.Parameters.All(parameter => parameter.Name != name))
            .Take(1)
            .Select(name => $"A step gives the page “{Page}” the parameter “{name}”, which it does not have.");
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Open a page",
            () => new OpenPage(),
            [
                SettingsOf<OpenPage>.Named(
                    "page",
                    "Page",
                    SettingPart.Content,
                    NamedThing.Page,
                    step => step.Page,
                    (step, text) => step with { Page = text }
                ),
                SettingsOf<OpenPage>.Texts(
                    "parameters",
                    "Parameters",
                    SettingPart.Content,
                    new(Computed: true),
                    step => step.Parameters,
                    (step, texts) => step with { Parameters = texts }
                ),
            ]
        );
}

/// <summary>Opens a sheet or a dialog of the page.</summary>
public sealed record OpenPanel : PageStep, IStepKind
{
    /// <summary>The sheet's or dialog's name.</summary>
    public string Panel { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => StepOutcome.Of(new StepEffect.OpenPanel(Panel));

    /// <inheritdoc/>
    public override IEnumerable<string> Problems(AppDefinition app, Page page)
    {
        ArgumentNullException.ThrowIfNull(page);
        return page.Find(Panel) is { Opens: true }
            ? []
            : [Panel.Length == 0 ? "A step opens a sheet or dialog: choose which." : $"A step opens “{Panel}”, which is not there."];
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Open a sheet or dialog",
            () => new OpenPanel(),
            [
                SettingsOf<OpenPanel>.Named(
                    "panel",
                    "Sheet or dialog",
                    SettingPart.Content,
                    NamedThing.Opening,
                    step => step.Panel,
                    (step, text) => step with { Panel = text }
                ),
            ]
        );
}

/// <summary>Closes what is open: sheets, dialogs, a record.</summary>
public sealed record ClosePanels : PageStep, IStepKind
{
    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => StepOutcome.Of(new StepEffect.CloseAll());

    /// <inheritdoc/>
    public static new StepKind Kind { get; } = new("Close what is open", () => new ClosePanels(), []);
}

/// <summary>Sets an input of the page.</summary>
public sealed record SetInput : PageStep, IStepKind
{
    /// <summary>The input's name.</summary>
    public string Input { get; init; } = "";

    /// <summary>A value, or a formula after <c>=</c>; blank clears it.</summary>
    public string Value { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.Of(new StepEffect.SetInput(Input, Computed.IsFormula(Value) ? scope.Value(Value[1..]) : Value));
    }

    /// <inheritdoc/>
    public override IEnumerable<string> Problems(AppDefinition app, Page page)
    {
        ArgumentNullException.ThrowIfNull(page);
        return page.Find(Input) is InputPanel
            ? []
            : [Input.Length == 0 ? "A step sets an input: choose which." : $"A step sets the input “{Input}”, which is not there."];
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Set an input",
            () => new SetInput(),
            [
                SettingsOf<SetInput>.Named(
                    "input",
                    "Input",
                    SettingPart.Content,
                    NamedThing.Input,
                    step => step.Input,
                    (step, text) => step with { Input = text }
                ),
                Of<SetInput>(
                    "value",
                    "Value",
                    SettingPart.Content,
                    new SettingKind.AnyValue(),
                    step => step.Value,
                    (step, text) => step with { Value = text }
                ),
            ]
        );
}

/// <summary>Says something in the bar at the foot.</summary>
public sealed record ShowMessage : PageStep, IStepKind
{
    /// <summary>What is said, or a formula for it.</summary>
    public string Text { get; init; } = "";

    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope)
    {
        ArgumentNullException.ThrowIfNull(scope);
        return StepOutcome.Of(new StepEffect.Say(scope.Text(Text)));
    }

    /// <inheritdoc/>
    public static new StepKind Kind { get; } =
        new(
            "Show a message",
            () => new ShowMessage(),
            [
                Of<ShowMessage>(
                    "text",
                    "Text",
                    SettingPart.Content,
                    new SettingKind.Line(new FormulaType.Text()),
                    step => step.Text,
                    (step, text) => step with { Text = text }
                ),
            ]
        );
}

/// <summary>Reads every panel of the page again.</summary>
public sealed record RefreshPage : PageStep, IStepKind
{
    /// <inheritdoc/>
    public override StepOutcome Run(IStepScope scope) => StepOutcome.Of(new StepEffect.Refresh());

    /// <inheritdoc/>
    public static new StepKind Kind { get; } = new("Refresh the page", () => new RefreshPage(), []);
}
