using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.Bulk;
using Rostrum.Web.Live.Refreshing;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Table.Bulk;

/// <summary>How far a change of many records is that was begun on a page; its end, once it has come.</summary>
[Handles("GET", "BulkProgress")]
internal sealed class BulkProgressHandler(BulkChanges changes, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        person.Id is { } id && await changes.FindAsync(Number(page), id, cancellation) is { } bulk
            ? await AnswerAsync(page, bulk, cancellation)
            : new NotFoundResult();

    public static long Number(AppPageModel page) =>
        long.TryParse(page.Value("bulk"), NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : 0;

    public static async Task<IActionResult> AnswerAsync(AppPageModel page, BulkChange bulk, CancellationToken cancellation)
    {
        await page.PrepareAsync(cancellation);
        var id = new DatasetId(bulk.DatasetId);
        page.Said = Said(bulk, page.App.Datasets.Find(id), page.Run.Format);
        var changed = bulk.Status is BulkStatus.Running ? [] : page.Run.Graph.Affected(id, page.App.Datasets);
        return await page.PartsAsync(changed.Intersect(RefreshHandler.Shown(page.Current)), withSheet: false, cancellation);
    }

    /// <summary>What is said of one.</summary>
    public static AppPageModel.Message Said(BulkChange bulk, Dataset? dataset, RecordFormat format) =>
        new(BulkWords.Of(bulk, dataset, format))
        {
            Bulk = bulk,
            Progress = bulk.Status is BulkStatus.Running ? new RunProgress(bulk.Done + bulk.Refused, bulk.Records) : null,
        };
}

/// <summary>Stops a change of many records before its next part.</summary>
[Handles("POST", "BulkStop")]
internal sealed class BulkStopHandler(BulkChanges changes, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        var number = BulkProgressHandler.Number(page);
        if (person.Id is not { } id || await changes.FindAsync(number, id, cancellation) is null)
        {
            return new NotFoundResult();
        }

        await changes.StopAsync(number, id, cancellation);
        return await BulkProgressHandler.AnswerAsync(page, (await changes.FindAsync(number, id, cancellation))!, cancellation);
    }
}

/// <summary>Takes back what a change of many records changed.</summary>
[Handles("POST", "BulkUndo")]
internal sealed class BulkUndoHandler(BulkChanges changes, CurrentPerson person) : LiveHandler
{
    public override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation) =>
        person.Id is { } id
        && await changes.FindAsync(BulkProgressHandler.Number(page), id, cancellation) is { } bulk
        && await changes.UndoAsync(bulk.Id, id, cancellation) is { } undo
            ? await BulkProgressHandler.AnswerAsync(page, undo, cancellation)
            : new NotFoundResult();
}
