using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.Bulk;

/// <summary>What people read of a change of many records.</summary>
internal static class BulkWords
{
    public static string Of(BulkChange bulk, Dataset? dataset, RecordFormat format)
    {
        var (one, several) = dataset is null ? ("record", "records") : (dataset.RecordLabel, dataset.LabelInSentence);
        string Count(long number) => $"{number.ToString("#,##0", format.Culture)} {(number == 1 ? one : several)}";
        var done = bulk.Work switch
        {
            BulkWork.Delete => "deleted",
            BulkWork.Undo => "changed back",
            BulkWork.Import => bulk.IsTried ? "checked" : "imported",
            _ => "changed",
        };
        if (bulk is { IsTried: true, Work: not BulkWork.Import })
        {
            return Checked(bulk, Count, done);
        }

        if (bulk.Work is BulkWork.Import)
        {
            (one, several) = ("row", "rows");
        }

        var refused = bulk.Refused == 0 ? "" : $" {bulk.Refused.ToString("#,##0", format.Culture)} could not be {done}.";
        return bulk.Status switch
        {
            BulkStatus.Running when bulk.Stops => "Stopping…",
            BulkStatus.Running => $"{Count(bulk.Records)} {(bulk.Records == 1 ? "is" : "are")} being {done}.",
            BulkStatus.Stopped => $"Stopped: {Count(bulk.Done)} {done}.{refused}",
            BulkStatus.Failed => $"Stopped after {Count(bulk.Done)}: {bulk.Problem}",
            _ when bulk.Work is BulkWork.Import && bulk.Records - bulk.Done - bulk.Refused is var alike and > 0 =>
                $"{Count(bulk.Done)} {done}. {Count(alike)} {(alike == 1 ? "was" : "were")} already so.{refused}",
            _ => $"{Count(bulk.Done)} {done}.{refused}",
        };
    }

    private static string Checked(BulkChange bulk, Func<long, string> count, string done) =>
        bulk.Status switch
        {
            BulkStatus.Running when bulk.Stops => "Stopping…",
            BulkStatus.Running => $"{count(bulk.Records)} {(bulk.Records == 1 ? "is" : "are")} being checked.",
            BulkStatus.Stopped => $"Stopped: {count(bulk.Done + bulk.Refused)} checked, {bulk.Refused} of them cannot be {done}.",
            BulkStatus.Failed => $"Stopped after {count(bulk.Done + bulk.Refused)}: {bulk.Problem}",
            _ when bulk.Refused == 0 => $"{count(bulk.Records)} checked: all of them can be {done}.",
            _ => $"{count(bulk.Records)} checked: {count(bulk.Refused)} cannot be {done}.",
        };
}
