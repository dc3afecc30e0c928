using System.Collections.Immutable;
using Rostrum.Core.Apps.Settings;

namespace Rostrum.Core.Workflows;

/// <summary>Says in sentences how one form of a workflow differs from another.</summary>
public static class WorkflowComparison
{
    /// <summary>The differences, in the order of the later one's steps.</summary>
    public static ImmutableArray<string> Of(Workflow before, Workflow after)
    {
        ArgumentNullException.ThrowIfNull(before);
        ArgumentNullException.ThrowIfNull(after);
        var said = ImmutableArray.CreateBuilder<string>();
        Value(said, "Label", before.Label, after.Label);
        Value(said, "Description", before.Description, after.Description);
        Value(said, "Runs as", before.RunsAs, after.RunsAs);
        Value(said, "One at a time by", before.OneAtATime, after.OneAtATime);
        Value(said, "Tell of failures", before.TellOfFailure, after.TellOfFailure);
        Value(said, "Runs are kept (days)", $"{before.KeptDays}", $"{after.KeptDays}");
        if (before.Trigger.GetType() != after.Trigger.GetType())
        {
            said.Add($"Trigger: {before.Trigger.Kind.Label} → {after.Trigger.Kind.Label}");
        }
        else
        {
            Settings(said, "Trigger", after.Trigger.Kind.Settings, before.Trigger, after.Trigger);
        }

        foreach (var step in after.All)
        {
            if (before.Find(step.Id) is not { } known)
            {
                said.Add($"Step “{NameOf(step)}” added");
                continue;
            }

            if (known.Does.GetType() != step.Does.GetType())
            {
                said.Add($"Step “{NameOf(known)}” is now “{NameOf(step)}”");
                continue;
            }

            Settings(said, $"“{NameOf(step)}”", step.Does.Kind.Settings, known.Does, step.Does);
            Value(said, $"“{NameOf(step)}”: name", known.Does.Name, step.Does.Name);
            Value(said, $"“{NameOf(step)}”: note", known.Note, step.Note);
            if (known.IsOff != step.IsOff)
            {
                said.Add($"Step “{NameOf(step)}” is {(step.IsOff ? "off" : "on")} now");
            }

            var (was, now) = (WorkflowEdit.PositionOf(before, step.Id)!, WorkflowEdit.PositionOf(after, step.Id)!);
            if (was.Within != now.Within || was.Block != now.Block || IsBehindAnother(before, after, step.Id))
            {
                said.Add($"Step “{NameOf(step)}” moved");
            }
        }

        foreach (var step in before.All.Where(step => after.Find(step.Id) is null))
        {
            said.Add($"Step “{NameOf(step)}” removed");
        }

        return said.ToImmutable();
    }

    /// <summary>What people read for a step: what it does, and its name where it has one.</summary>
    public static string NameOf(FlowStep step)
    {
        ArgumentNullException.ThrowIfNull(step);
        return step.Does.Name is { Length: > 0 } name ? $"{step.Does.Kind.Label}: {name}" : step.Does.Kind.Label;
    }

    // Of the steps beside it one stands before it that did not.
    private static bool IsBehindAnother(Workflow before, Workflow after, string id)
    {
        var known = Before(before, id);
        return Before(after, id).Any(other => before.Find(other) is not null && !known.Contains(other));
    }

    private static string[] Before(Workflow workflow, string id)
    {
        var position = WorkflowEdit.PositionOf(workflow, id)!;
        var beside = position.Within is { } within ? workflow.Find(within)!.Blocks[position.Block].Steps : workflow.Steps;
        return [.. beside.Take(position.At).Select(step => step.Id)];
    }

    private static void Settings(
        ImmutableArray<string>.Builder said,
        string of,
        ImmutableArray<Setting> settings,
        object before,
        object after
    )
    {
        foreach (var setting in settings)
        {
            Value(said, $"{of}: {setting.Label}", setting.Get(before), setting.Get(after));
        }
    }

    private static void Value(ImmutableArray<string>.Builder said, string label, string? before, string? after)
    {
        if ((before ?? "") != (after ?? ""))
        {
            said.Add($"{label}: {Shown(before)} → {Shown(after)}");
        }
    }

    private static string Shown(string? text) =>
        string.IsNullOrEmpty(text) ? "blank"
        : text.ReplaceLineEndings(" ") is { Length: > 80 } line ? line[..80] + "…"
        : text.ReplaceLineEndings(" ");
}
