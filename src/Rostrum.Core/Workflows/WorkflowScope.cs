using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows.Steps;

namespace Rostrum.Core.Workflows;

/// <summary>The names that formulas of one step have.</summary>
/// <param name="Names">The names and their types.</param>
/// <param name="Results">The steps whose results are <c>steps.…</c>, in the order of that record's values.</param>
/// <param name="Loops">The steps around it that are done several times, the outermost first.</param>
public sealed record StepNames(FormulaNames Names, ImmutableArray<FlowStep> Results, ImmutableArray<FlowStep> Loops);

/// <summary>What names the formulas of a workflow have, and whether they are right.</summary>
public sealed class WorkflowScope
{
    /// <summary>The name of what a formula over a trigger's own setting stands at.</summary>
    public const string AtTrigger = "";

    private static readonly FormulaShape Nothing = new("workflow", []);

    private readonly ImmutableDictionary<string, FormulaType> _user;
    private readonly Dictionary<string, StepNames> _names = new(StringComparer.Ordinal);
    private readonly Dictionary<string, FormulaType> _results = new(StringComparer.Ordinal);

    /// <param name="workflow">The workflow.</param>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="shapes">The names of their records, as far as the rights reach with which it runs.</param>
    /// <param name="user">Whose names <c>user</c> has.</param>
    public WorkflowScope(Workflow workflow, DatasetCatalogue catalogue, DatasetShapes shapes, SignedIn? user)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        (Workflow, Types) = (workflow, new WorkflowTypes(catalogue, shapes));
        _user = SignedIn.Names(user).Types;
        TriggerShape = new FormulaShape(Trigger.InFormulas, workflow.Trigger.Members(Types).ToImmutableArray());
        _names.Add(AtTrigger, new StepNames(new FormulaNames(With([], [], null)), [], []));
        Add(workflow.Steps, [], [], afterFailure: false);
    }

    /// <summary>The workflow.</summary>
    public Workflow Workflow { get; }

    /// <summary>The types of what triggers and steps give.</summary>
    public WorkflowTypes Types { get; }

    /// <summary>What <c>trigger</c> gives.</summary>
    public FormulaShape TriggerShape { get; }

    /// <summary>The names of a step's formulas.</summary>
    /// <param name="step">Its identity; blank for the trigger's own.</param>
    public StepNames NamesAt(string step) => _names[step];

    /// <summary>What a step gives; null where it gives nothing.</summary>
    public FormulaType? ResultOf(string step) => _results.GetValueOrDefault(step);

    /// <summary>The formulas of a step, each as it is meant there.</summary>
    public static IEnumerable<(Setting Setting, FormulaPlace Place)> Formulas(Step step)
    {
        ArgumentNullException.ThrowIfNull(step);
        return from setting in step.Kind.Settings
            from place in setting.Kind.Formulas(setting.Get(step))
            select (setting, Meant(step, place));
    }

    /// <summary>A place as a step means it: what its settings say of "its dataset" is the step's own.</summary>
    public static FormulaPlace Meant(Step step, FormulaPlace place)
    {
        ArgumentNullException.ThrowIfNull(step);
        ArgumentNullException.ThrowIfNull(place);
        return place with
        {
            Over = place.OverRecord ? step.Of : null,
            RecordOf = place.RecordOf is null ? null : step.Of,
            Into = place.Into is { } into ? (step.Of, into.Field) : null,
        };
    }

    /// <summary>Checks a formula of a step.</summary>
    /// <param name="step">The step's identity; blank for the trigger.</param>
    /// <param name="place">The formula.</param>
    public CheckedFormula Check(string step, FormulaPlace place)
    {
        ArgumentNullException.ThrowIfNull(place);
        var shape = place.OverRecord && Types.Members.Dataset(place.Over) is { } dataset ? Types.Shapes.Of(dataset).Shape : Nothing;
        return NamesAt(step).Names.Check(shape, place.Formula);
    }

    /// <summary>What keeps a formula from being what its place expects; null where nothing does.</summary>
    public string? Problem(string step, FormulaPlace place, CheckedFormula formula)
    {
        ArgumentNullException.ThrowIfNull(place);
        ArgumentNullException.ThrowIfNull(formula);
        return FormulaFit.Problem(Types.Members, place.Over ?? place.Into?.Dataset, place, formula);
    }

    private void Add(ImmutableArray<FlowStep> steps, ImmutableArray<FlowStep> earlier, ImmutableArray<FlowStep> loops, bool afterFailure)
    {
        foreach (var step in steps)
        {
            var names = new StepNames(
                new FormulaNames(With(earlier, loops, afterFailure ? PageScope.FailureShape : null)),
                [.. earlier.Where(known => IsNamed(known) && _results.ContainsKey(known.Id))],
                loops
            );
            _names[step.Id] = names;
            var within = step.Does is ForEach ? loops.Add(step) : loops;
            var inner = ImmutableArray.CreateBuilder<FlowStep>();
            if (step.Does is Attempt attempt)
            {
                // What was done before the failure may be there; it may be blank as well.
                Add(attempt.Steps, earlier, within, afterFailure);
                inner.AddRange(attempt.Steps.SelectMany(known => Visible(known)));
                Add(attempt.OnFailure, [.. earlier, .. inner], within, afterFailure: true);
                inner.AddRange(attempt.OnFailure.SelectMany(known => Visible(known)));
            }
            else
            {
                foreach (var block in step.Blocks)
                {
                    Add(block.Steps, earlier, within, afterFailure);
                }

                inner.AddRange(Visible(step).Skip(1));
            }

            if (Gives(step, names) is { } type)
            {
                _results[step.Id] = type;
            }

            earlier = [.. earlier, step, .. inner];
        }
    }

    // A step and those within it to which later ones can refer: of what is done several times only the list that is collected.
    private static IEnumerable<FlowStep> Visible(FlowStep step) =>
        step.Does is ForEach ? [step] : step.Blocks.SelectMany(block => block.Steps).SelectMany(Visible).Prepend(step);

    private FormulaType? Gives(FlowStep step, StepNames names) =>
        step.Does is ForEach { Collected: { } collected }
            ? _results.GetValueOrDefault(collected) is { } element
                ? new FormulaType.List(element)
                : null
            : step.Does.Gives(Types.Members, formula => names.Names.Check(Nothing, formula).Tree?.Type);

    private static bool IsNamed(FlowStep step) => !string.IsNullOrEmpty(step.Does.Name);

    private ImmutableDictionary<string, FormulaType> With(
        ImmutableArray<FlowStep> earlier,
        ImmutableArray<FlowStep> loops,
        FormulaShape? failure
    )
    {
        var names = _user.SetItem(Trigger.InFormulas, new FormulaType.Record(TriggerShape));
        names = names.SetItem(
            StepName.Results,
            new FormulaType.Record(
                new FormulaShape(
                    StepName.Results,
                    [
                        .. from step in earlier
                        where IsNamed(step) && _results.ContainsKey(step.Id)
                        select KeyValuePair.Create(step.Does.Name!, _results[step.Id]),
                    ]
                )
            )
        );
        foreach (var loop in loops)
        {
            var each = (ForEach)loop.Does;
            if (
                StepName.IsSound(each.ItemName)
                && NamesAt(loop.Id).Names.Check(Nothing, each.List).Tree is { Type: FormulaType.List { Element: var element } }
            )
            {
                names = names.SetItem(each.ItemName, element);
            }
        }

        return failure is null ? names : names.SetItem(PageScope.Failure, new FormulaType.Record(failure));
    }
}
