using System.Collections.Immutable;
using Rostrum.Core.Access;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows.Steps;
using Rostrum.Core.Workflows.Triggers;

namespace Rostrum.Core.Workflows;

/// <summary>Something that is wrong with a workflow.</summary>
/// <param name="Step">The step's identity; null where it is the workflow or its trigger.</param>
/// <param name="Setting">The key of the setting; null where it is the step itself.</param>
/// <param name="Message">What is wrong, for the builder.</param>
/// <param name="Warns">It can be published all the same.</param>
public sealed record WorkflowProblem(string? Step, string? Setting, string Message, bool Warns = false)
{
    /// <summary>The setting's text with the first wrong name as it is probably meant; null where that is not known.</summary>
    public string? Correction { get; init; }

    /// <summary>That name.</summary>
    public string? CorrectionSays { get; init; }
}

/// <summary>What else there is in a workspace that workflows name.</summary>
/// <param name="Workflows">The workflows by their names.</param>
/// <param name="Roles">The names of the roles.</param>
/// <param name="Secrets">The names of the secrets.</param>
/// <param name="Apis">The sources that are APIs.</param>
public sealed record WorkflowSurroundings(
    ImmutableDictionary<string, Workflow> Workflows,
    ImmutableHashSet<string> Roles,
    ImmutableHashSet<string> Secrets,
    ImmutableHashSet<SourceId> Apis
);

/// <summary>Holds a workflow against its datasets, its surroundings and itself.</summary>
public static class WorkflowProblems
{
    /// <summary>What is wrong with a workflow.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="workflow">The workflow.</param>
    /// <param name="catalogue">The datasets.</param>
    /// <param name="around">What else there is.</param>
    /// <param name="anybody">Which names <c>user</c> has in formulas.</param>
    public static ImmutableArray<WorkflowProblem> Of(
        string name,
        Workflow workflow,
        DatasetCatalogue catalogue,
        WorkflowSurroundings around,
        SignedIn? anybody
    )
    {
        ArgumentNullException.ThrowIfNull(workflow);
        ArgumentNullException.ThrowIfNull(around);
        var scope = new WorkflowScope(workflow, catalogue, DatasetShapes.Of(catalogue, Grants.ViewEverything), anybody);
        return
        [
            .. OfTrigger(workflow, around, scope),
            .. workflow.All.SelectMany(step => OfStep(workflow, step, around, scope)),
            .. Names(workflow),
            .. Rings(name, workflow, around),
        ];
    }

    private static IEnumerable<WorkflowProblem> OfTrigger(Workflow workflow, WorkflowSurroundings around, WorkflowScope scope)
    {
        foreach (var message in workflow.Trigger.Lacking(scope.Types))
        {
            yield return new(null, null, message);
        }

        foreach (var setting in workflow.Trigger.Kind.Settings)
        {
            foreach (var place in setting.Kind.Formulas(setting.Get(workflow.Trigger)))
            {
                if (Wrong(scope, null, WorkflowScope.AtTrigger, setting, setting.Get(workflow.Trigger), place) is { } problem)
                {
                    yield return problem;
                }
            }
        }

        if (workflow.Trigger is OnCall { Secret: { Length: > 0 } secret } && !around.Secrets.Contains(secret))
        {
            yield return new(null, "secret", $"There is no secret “{secret}”.");
        }

        if (workflow.OneAtATime is { } key)
        {
            var formula = scope.Check(WorkflowScope.AtTrigger, new FormulaPlace(key));
            if (formula.Tree is null)
            {
                yield return new(null, "oneAtATime", $"One at a time: {formula.Problems[0].Message}");
            }
        }

        if (workflow.RunsAs is { } role && !around.Roles.Contains(role))
        {
            yield return new(null, "runsAs", "The role with whose rights it runs is no longer there.");
        }
        else if (workflow.RunsAs is null && !workflow.Trigger.HasPerson)
        {
            yield return new(null, "runsAs", "Nobody sets it off: choose the role with whose rights it runs.");
        }

        if (workflow.Steps.IsEmpty)
        {
            yield return new(null, null, "It has no steps.", Warns: true);
        }
    }

    private static IEnumerable<WorkflowProblem> OfStep(Workflow workflow, FlowStep step, WorkflowSurroundings around, WorkflowScope scope)
    {
        var place = workflow.Trigger.IsWithinSave ? StepPlaces.Save : StepPlaces.Workflow;
        if (!step.Does.Kind.Places.HasFlag(place))
        {
            yield return new(
                step.Id,
                null,
                place is StepPlaces.Save
                    ? $"“{step.Does.Kind.Label}” cannot stand in a guard: a save waits for it, and it cannot be taken back."
                    : $"“{step.Does.Kind.Label}” cannot stand in a workflow."
            );
        }

        foreach (var message in step.Does.Lacking())
        {
            yield return new(step.Id, null, message);
        }

        if (step.Does.Of is { } of && scope.Types.Members.Dataset(of) is not { GoneBecause: null })
        {
            yield return new(step.Id, "dataset", "Its dataset is no longer there.");
            yield break;
        }

        foreach (var named in Missing(step, scope, around))
        {
            yield return named;
        }

        foreach (var (setting, formula) in WorkflowScope.Formulas(step.Does))
        {
            if (Wrong(scope, step.Id, step.Id, setting, setting.Get(step.Does), formula) is { } problem)
            {
                yield return problem;
            }
        }
    }

    private static IEnumerable<WorkflowProblem> Missing(FlowStep step, WorkflowScope scope, WorkflowSurroundings around)
    {
        if (step.Does.Of is { } id && scope.Types.Members.Dataset(id) is { IsStatement: false, Query: null } dataset)
        {
            foreach (var setting in step.Does.Kind.Settings)
            {
                foreach (var problem in Misfits(step, setting, dataset))
                {
                    yield return problem;
                }

                foreach (
                    var field in setting.Kind.FieldsNamed(setting.Get(step.Does)).Where(field => dataset.Find(new FieldName(field)) is null)
                )
                {
                    yield return new(step.Id, setting.Key, $"{setting.Label}: {dataset.Label} has no field “{field}” any more.");
                }
            }
        }

        switch (step.Does)
        {
            case ApiStep { Source: { } source } when !around.Apis.Contains(source):
                yield return new(step.Id, "source", "The API that it calls is no longer there.");
                break;
            case CallWorkflow { Workflow: { Length: > 0 } other } call:
                if (!around.Workflows.TryGetValue(other, out var called))
                {
                    yield return new(step.Id, "workflow", $"There is no workflow “{other}”.");
                }
                else if (called.Trigger is not OnDemand onDemand)
                {
                    yield return new(step.Id, "workflow", $"“{called.Label}” does not run on demand.");
                }
                else
                {
                    foreach (var given in call.Values.Keys.Where(given => onDemand.Inputs.All(input => input.Name != given)))
                    {
                        yield return new(step.Id, "values", $"“{called.Label}” has no input “{given}”.");
                    }
                }

                break;
        }
    }

    // Values as they are typed that their fields would never take.
    private static IEnumerable<WorkflowProblem> Misfits(FlowStep step, Setting setting, Dataset dataset) =>
        setting.Kind is not SettingKind.FieldTexts { Into: true }
            ? []
            : from pair in SettingKind.FieldTexts.Map(setting.Get(step.Does)) ?? []
            let field = dataset.Find(new FieldName(pair.Key))
            where field is not null && !Apps.Computed.IsFormula(pair.Value)
            let problem = FieldText.FromInput(field.Type, pair.Value, TimeZoneInfo.Utc) switch
            {
                Parsed.Problem { Message: var message } => message,
                Parsed.Value { Is: { } value } => ChangeChecks.Problem(field, value),
                _ => null,
            }
            where problem is not null
            select new WorkflowProblem(step.Id, setting.Key, $"{setting.Label}: {dataset.LabelOf(field.Name)}: {problem}");

    private static WorkflowProblem? Wrong(WorkflowScope scope, string? id, string at, Setting setting, string text, FormulaPlace place)
    {
        var formula = scope.Check(at, place);
        if (scope.Problem(at, place, formula) is not { } message)
        {
            return null;
        }

        var problem = new WorkflowProblem(id, setting.Key, $"{setting.Label}: {message}");
        return formula.Problems is [{ Correction: { } better } first, ..]
            ? problem with
            {
                Correction = setting.Kind.Rewritten(text, known =>
                    known.Formula == place.Formula
                        ? string.Concat(
                            known.Formula.AsSpan(0, first.Span.Start),
                            better,
                            known.Formula.AsSpan(Math.Min(known.Formula.Length, first.Span.Start + first.Span.Length))
                        )
                        : known.Formula
                ),
                CorrectionSays = better,
            }
            : problem;
    }

    private static IEnumerable<WorkflowProblem> Names(Workflow workflow)
    {
        foreach (
            var twice in workflow
                .All.Where(step => !string.IsNullOrEmpty(step.Does.Name))
                .GroupBy(step => step.Does.Name!, StringComparer.OrdinalIgnoreCase)
        )
        {
            if (!StepName.IsSound(twice.Key))
            {
                yield return new(twice.First().Id, null, $"“{twice.Key}” is no name for a step: letters, digits and _ alone.");
            }

            if (twice.Skip(1).FirstOrDefault() is { } second)
            {
                yield return new(second.Id, null, $"Two steps have the name “{twice.Key}”.");
            }
        }
    }

    // Workflows that call each other never end; those whose saves set each other off might not.
    private static IEnumerable<WorkflowProblem> Rings(string name, Workflow workflow, WorkflowSurroundings around)
    {
        foreach (var step in workflow.All)
        {
            if (step.Does is CallWorkflow { Workflow: var called } && Reaches(called, name, around, []))
            {
                yield return new(step.Id, "workflow", "It comes back to this workflow: they would call each other without end.");
            }
        }

        if (workflow.Trigger is not AfterSave { Dataset: { } dataset } trigger)
        {
            yield break;
        }

        foreach (
            var step in workflow.All.Where(step =>
                (step.Does is CreateRecord { Dataset: { } created } && created == dataset && trigger.Added)
                || (step.Does is UpdateRecord { Dataset: { } changed } update && changed == dataset && Touches(trigger, update.Values.Keys))
                || (step.Does is AddOrChange { Dataset: { } saved } && saved == dataset)
            )
        )
        {
            yield return new(
                step.Id,
                null,
                "What it saves sets this workflow off again. After eight times in a row it is stopped: narrow the trigger.",
                Warns: true
            );
        }
    }

    private static bool Touches(AfterSave trigger, IEnumerable<string> fields) =>
        trigger.Changed && (trigger.Fields.IsEmpty || fields.Any(field => trigger.Fields.Contains(new FieldName(field))));

    private static bool Reaches(string from, string to, WorkflowSurroundings around, ImmutableHashSet<string> seen) =>
        from == to
        || (
            !seen.Contains(from)
            && around.Workflows.TryGetValue(from, out var workflow)
            && workflow.All.Select(step => step.Does).OfType<CallWorkflow>().Any(call => Reaches(call.Workflow, to, around, seen.Add(from)))
        );
}
