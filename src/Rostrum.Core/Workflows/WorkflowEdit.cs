using System.Collections.Immutable;
using Rostrum.Core.Apps.Actions;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Formulas;
using Rostrum.Core.Workflows.Steps;

namespace Rostrum.Core.Workflows;

/// <summary>Where a step is put.</summary>
/// <param name="Within">The step in one of whose lists it stands; the workflow's own list where null.</param>
/// <param name="Block">Which of that step's lists.</param>
/// <param name="At">How many stand before it.</param>
public sealed record StepPosition(string? Within, int Block, int At);

/// <summary>What builders do to workflows: pure functions.</summary>
public static class WorkflowEdit
{
    /// <summary>A new step with an identity that no other has; what it gives has a name that no other has.</summary>
    public static FlowStep Fresh(Workflow workflow, Step does)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        ArgumentNullException.ThrowIfNull(does);
        var number = 1;
        while (workflow.All.Any(step => step.Id == $"s{number}"))
        {
            number++;
        }

        return new FlowStep($"s{number}", does.ResultName is { } name ? does with { Name = FreeName(workflow, name) } : does);
    }

    /// <summary>The workflow with a step put in.</summary>
    public static Workflow Insert(Workflow workflow, FlowStep step, StepPosition position)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        ArgumentNullException.ThrowIfNull(position);
        ImmutableArray<FlowStep> Into(ImmutableArray<FlowStep> steps) => steps.Insert(Math.Clamp(position.At, 0, steps.Length), step);
        return position.Within is not { } within
            ? workflow with
            {
                Steps = Into(workflow.Steps),
            }
            : workflow.Each(known =>
                known.Id == within && known.Does is ControlStep control && position.Block >= 0 && position.Block < control.Blocks.Length
                    ? known with
                    {
                        Does = control.With(
                            control.Blocks.SetItem(
                                position.Block,
                                control.Blocks[position.Block] with
                                {
                                    Steps = Into(control.Blocks[position.Block].Steps),
                                }
                            )
                        ),
                    }
                    : known
            );
    }

    /// <summary>The workflow without a step, and without those within it.</summary>
    public static Workflow Remove(Workflow workflow, string id)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        ImmutableArray<FlowStep> Without(ImmutableArray<FlowStep> steps) => steps.RemoveAll(step => step.Id == id);
        return (workflow with { Steps = Without(workflow.Steps) }).Each(step =>
            step.Does is ControlStep control
                ? step with
                {
                    Does = control.With([.. control.Blocks.Select(block => block with { Steps = Without(block.Steps) })]),
                }
                : step
        );
    }

    /// <summary>Where a step stands; null where it is not there.</summary>
    public static StepPosition? PositionOf(Workflow workflow, string id)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        int At(ImmutableArray<FlowStep> steps) => steps.IndexOf(steps.FirstOrDefault(step => step.Id == id)!);
        if (At(workflow.Steps) is >= 0 and var top)
        {
            return new StepPosition(null, 0, top);
        }

        return (
            from step in workflow.All
            from block in step.Blocks.Select((block, number) => (block, number))
            let at = At(block.block.Steps)
            where at >= 0
            select new StepPosition(step.Id, block.number, at)
        ).FirstOrDefault();
    }

    /// <summary>The workflow with a step elsewhere; the same one where it would stand within itself.</summary>
    public static Workflow Move(Workflow workflow, string id, StepPosition position)
    {
        ArgumentNullException.ThrowIfNull(position);
        if (workflow?.Find(id) is not { } step || PositionOf(workflow, id) is not { } now)
        {
            return workflow!;
        }

        if (position.Within is { } within && step.All.Any(inner => inner.Id == within))
        {
            return workflow;
        }

        var sameList = now.Within == position.Within && now.Block == position.Block;
        var at = sameList && position.At > now.At ? position.At - 1 : position.At;
        return Insert(Remove(workflow, id), step, position with { At = at });
    }

    /// <summary>The workflow with a step one place up or down in its list; the same one where it is the first or the last.</summary>
    public static Workflow Shift(Workflow workflow, string id, int by) =>
        PositionOf(workflow, id) is { } now && now.At + by >= 0
            ? Move(workflow, id, now with { At = by > 0 ? now.At + by + 1 : now.At + by })
            : workflow;

    /// <summary>A copy of a step beside it, with all within it.</summary>
    public static Workflow Duplicate(Workflow workflow, string id)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        if (workflow.Find(id) is not { } step || PositionOf(workflow, id) is not { } now)
        {
            return workflow;
        }

        return Paste(workflow, step, now with { At = now.At + 1 });
    }

    /// <summary>A step from elsewhere put in, with identities and names of its own.</summary>
    public static Workflow Paste(Workflow workflow, FlowStep step, StepPosition position)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        ArgumentNullException.ThrowIfNull(step);
        var known = workflow;
        FlowStep Renewed(FlowStep one)
        {
            var fresh = Fresh(known, one.Does with { Name = null });
            var name = one.Does.Name is { Length: > 0 } asked ? FreeName(known, asked) : null;
            var copy = one with { Id = fresh.Id, Does = one.Does with { Name = name } };
            known = known with
            {
                Steps = known.Steps.Add(copy with { Does = copy.Does is ControlStep control ? Emptied(control) : copy.Does }),
            };
            return copy.Does is ControlStep within
                ? copy with
                {
                    Does = within.With([.. within.Blocks.Select(block => block with { Steps = [.. block.Steps.Select(Renewed)] })]),
                }
                : copy;
        }

        return Insert(workflow, Renewed(step), position);
    }

    /// <summary>The workflow with a step changed.</summary>
    public static Workflow Change(Workflow workflow, string id, Func<FlowStep, FlowStep> change)
    {
        ArgumentNullException.ThrowIfNull(workflow);
        return workflow.Each(step => step.Id == id ? change(step) : step);
    }

    /// <summary>The workflow with another name for what a step gives: whatever refers to it follows.</summary>
    /// <param name="scope">The workflow with its names.</param>
    /// <param name="id">The step.</param>
    /// <param name="name">The name; none where blank.</param>
    public static Workflow Rename(WorkflowScope scope, string id, string name)
    {
        ArgumentNullException.ThrowIfNull(scope);
        var old = scope.Workflow.Find(id)?.Does.Name;
        return scope.Workflow.Each(step =>
        {
            var does = string.IsNullOrEmpty(old) || string.IsNullOrWhiteSpace(name) ? step.Does : Following(scope, step, old, name);
            return step with { Does = step.Id == id ? does with { Name = Setting.Blank(name) } : does };
        });
    }

    private static Step Following(WorkflowScope scope, FlowStep step, string old, string name)
    {
        if (
            scope.NamesAt(step.Id).Names.Types[StepName.Results] is not FormulaType.Record { Shape: var results }
            || results.IndexOf(old) is not (>= 0 and var index)
        )
        {
            return step.Does;
        }

        return step.Does.Kind.Settings.Aggregate(step.Does, (changed, setting) =>
            setting.Amended(changed, text =>
                setting.Kind.Rewritten(text, place =>
                    Renaming.Rename(scope.Check(step.Id, WorkflowScope.Meant(step.Does, place)), results, index, name)
                )
            )
        );
    }

    private static ControlStep Emptied(ControlStep control) => control.With([.. control.Blocks.Select(block => block with { Steps = [] })]);

    private static string FreeName(Workflow workflow, string name)
    {
        var (number, free) = (2, name);
        while (workflow.All.Any(step => string.Equals(step.Does.Name, free, StringComparison.OrdinalIgnoreCase)))
        {
            free = $"{name}_{number++}";
        }

        return free;
    }
}
