using System.Collections.Immutable;
using System.Globalization;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Workflows;

namespace Rostrum.Web.Build.Workflows;

/// <summary>What can be said of a workflow beside its trigger and its steps.</summary>
internal static class WorkflowSettings
{
    public static ImmutableArray<Setting> All { get; } =
    [
        Setting.Of<Workflow>(
            "label",
            "Name",
            SettingPart.Content,
            new SettingKind.Line(),
            workflow => workflow.Label,
            (workflow, text) => text.Trim().Length is > 0 and <= 80 ? workflow with { Label = text.Trim() } : null
        ),
        Setting.Of<Workflow>(
            "description",
            "Description",
            SettingPart.Content,
            new SettingKind.Lines(),
            workflow => workflow.Description,
            (workflow, text) => workflow with { Description = Setting.Blank(text) }
        ),
        Setting.Of<Workflow>(
            "runsAs",
            "Runs with the rights of",
            SettingPart.Content,
            new SettingKind.SomeNamed(NamedThing.Role),
            workflow => workflow.RunsAs,
            (workflow, text) => workflow with { RunsAs = Setting.Blank(text) }
        ) with
        {
            Help = "None: of whoever sets it off.",
        },
        Setting.Of<Workflow>(
            "oneAtATime",
            "One at a time for each",
            SettingPart.Behaviour,
            new SettingKind.Formula(null),
            workflow => workflow.OneAtATime,
            (workflow, text) => workflow with { OneAtATime = Setting.Blank(text.Trim()) }
        ) with
        {
            Help = "Such as trigger.after.id: runs of one record go one after the other.",
        },
        Setting.Of<Workflow>(
            "tellOfFailure",
            "Tell of failures",
            SettingPart.Behaviour,
            new SettingKind.Line(),
            workflow => workflow.TellOfFailure,
            (workflow, text) => workflow with { TellOfFailure = Setting.Blank(text) }
        ) with
        {
            Help = "Addresses, roles or groups with commas between them.",
        },
        Setting.Of<Workflow>(
            "keptDays",
            "Keep runs (days)",
            SettingPart.Behaviour,
            new SettingKind.Whole(1, 3650),
            workflow => workflow.KeptDays.ToString(CultureInfo.InvariantCulture),
            (workflow, text) => workflow with { KeptDays = int.Parse(text, CultureInfo.InvariantCulture) }
        ),
    ];
}
