using System.Collections.Immutable;
using Rostrum.Core.Apis;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;

namespace Rostrum.Core.Apps.Actions;

/// <summary>Something that a step wants done. A step only says so: the page carries it out, or the worker in the background.</summary>
public abstract partial record StepEffect
{
    private StepEffect() { }

    /// <summary>Another page of the app is shown.</summary>
    /// <param name="Page">Its address.</param>
    /// <param name="Parameters">The values of its parameters: of formulas, or texts as they stand.</param>
    public sealed record GoToPage(string Page, ImmutableArray<KeyValuePair<string, object?>> Parameters) : StepEffect;

    /// <summary>A sheet or a dialog of the page opens.</summary>
    public sealed record OpenPanel(string Panel) : StepEffect;

    /// <summary>Sheets, dialogs and records close.</summary>
    public sealed record CloseAll : StepEffect;

    /// <summary>An input of the page holds something else; a blank value clears it.</summary>
    public sealed record SetInput(string Input, object? Value) : StepEffect;

    /// <summary>Something is said in the bar at the foot.</summary>
    public sealed record Say(string Text) : StepEffect;

    /// <summary>Every panel of the page is read again.</summary>
    public sealed record Refresh : StepEffect;

    /// <summary>A text goes to the person's clipboard.</summary>
    public sealed record Copy(string Text) : StepEffect;

    /// <summary>An address outside the app opens.</summary>
    /// <param name="Address">One that <see cref="WebAddress.IsSafe"/>.</param>
    /// <param name="Beside">In a tab of its own.</param>
    public sealed record OpenAddress(string Address, bool Beside) : StepEffect;

    /// <summary>What a table shows is downloaded.</summary>
    public sealed record Download(string Table) : StepEffect;

    /// <summary>A record is added, changed or deleted. The record as it is then is what the step gives.</summary>
    public sealed record Save(DatasetId Dataset, Change Change) : StepEffect;

    /// <summary>A statement that changes data is run. The number of rows that it changed is what the step gives.</summary>
    public sealed record RunStatement(DatasetId Statement, FieldValues Values) : StepEffect;
}

/// <summary>What a step comes to: effects, one after the other, or why it cannot be done.</summary>
public sealed record StepOutcome
{
    private StepOutcome(ImmutableArray<StepEffect> effects, string? failure, StepFlow? flow = null) =>
        (Effects, Failure, Flow) = (effects, failure, flow);

    /// <summary>What is to be done.</summary>
    public ImmutableArray<StepEffect> Effects { get; }

    /// <summary>Why it cannot be done, for whoever started it; null where it can.</summary>
    public string? Failure { get; }

    /// <summary>Where a workflow goes on; null where that is after its effects.</summary>
    public StepFlow? Flow { get; }

    /// <summary>A workflow goes on so.</summary>
    public static StepOutcome On(StepFlow flow) => new([], null, flow);

    /// <summary>This is to be done.</summary>
    public static StepOutcome Of(params ImmutableArray<StepEffect> effects) => new(effects, null);

    /// <summary>It cannot be done.</summary>
    public static StepOutcome Failed(string reason) => new([], reason);
}

/// <summary>
/// The names that a step has while it runs: those of the place where its action stands, and the results of the steps before it.
/// </summary>
public interface IStepScope
{
    /// <summary>The datasets.</summary>
    DatasetCatalogue Datasets { get; }

    /// <summary>The record beside which the action stands; null where it stands beside none.</summary>
    RecordKey? Row { get; }

    /// <summary>The moment.</summary>
    DateTimeOffset Now { get; }

    /// <summary>When the step was begun that is asked once more; null where it is asked for the first time.</summary>
    DateTimeOffset? Begun => null;

    /// <summary>The first moment of a day, in the workspace's zone.</summary>
    DateTimeOffset StartOf(DateOnly day);

    /// <summary>A formula's value; null where it is blank, or wrong.</summary>
    object? Value(string formula);

    /// <summary>A text, or a formula for one after <c>=</c>, as people read it.</summary>
    string Text(string text);

    /// <summary>A text with <c>${formulas}</c> in it, filled in.</summary>
    string Filled(string text);

    /// <summary>The same where values are written as the place in a request demands; or what is wrong with it.</summary>
    (string Text, string? Problem) Filled(string text, TemplatePlace place);

    /// <summary>The record that a formula names; null where it is blank, or names none.</summary>
    (DatasetId Dataset, RecordKey Key)? Record(string? formula);

    /// <summary>A value as a field takes it: as it is typed, or a formula for it after <c>=</c>.</summary>
    Parsed FieldValue(Dataset dataset, FieldName field, string text);
}
