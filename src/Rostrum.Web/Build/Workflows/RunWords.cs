using Rostrum.Store;

namespace Rostrum.Web.Build.Workflows;

/// <summary>Words for how far runs are.</summary>
internal static class RunWords
{
    public static string Of(RunStatus status) =>
        status switch
        {
            RunStatus.Ready => "runs",
            RunStatus.Waiting => "waits",
            RunStatus.Uncertain => "asks a person",
            RunStatus.Done => "done",
            RunStatus.Stopped => "stopped",
            RunStatus.Failed => "failed",
            _ => "cancelled",
        };

    /// <summary>The look of its badge.</summary>
    public static string Badge(RunStatus status) =>
        status switch
        {
            RunStatus.Done => "text-bg-success",
            RunStatus.Failed => "text-bg-danger",
            RunStatus.Uncertain or RunStatus.Waiting or RunStatus.Ready => "text-bg-warning",
            _ => "text-bg-secondary",
        };

    public static string Of(StepEntryStatus status) =>
        status switch
        {
            StepEntryStatus.Begun => "begun",
            StepEntryStatus.Done => "done",
            StepEntryStatus.Failed => "failed",
            StepEntryStatus.TriedInVain => "tried in vain",
            _ => "uncertain",
        };

    public static string Badge(StepEntryStatus status) =>
        status switch
        {
            StepEntryStatus.Done => "text-bg-success",
            StepEntryStatus.Failed => "text-bg-danger",
            _ => "text-bg-warning",
        };
}
