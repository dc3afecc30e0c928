using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.Bulk;
using Rostrum.Web.Live.Refreshing;
using Rostrum.Web.People;

namespace Rostrum.Web.Live.Panels.Table.Bulk;

/// <summary>Answers what is asked of a change of many records, to whoever began it.</summary>
internal abstract class BegunBulkHandler(BulkChanges changes, CurrentPerson person) : LiveHandler
{
    public sealed override async Task<IActionResult> AnswerAsync(AppPageModel page, CancellationToken cancellation)
    {
        if (
            person.Id is not { } id
            || !long.TryParse(page.Value("bulk"), NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            || await changes.FindAsync(number, id, cancellation) is not { } bulk
            || await AfterAsync(bulk, id, cancellation) is not { } now
        )
        {
            return new NotFoundResult();
        }

        await page.PrepareAsync(cancellation);
        var dataset = new DatasetId(now.DatasetId);
        page.Said = Said(now, page.App.Datasets.Find(dataset), page.Run.Format);
        var changed = now.Status is BulkStatus.Running ? [] : page.Run.Graph.Affected(dataset, page.App.Datasets);
        return await page.PartsAsync(changed.Intersect(RefreshHandler.Shown(page.Current)), withSheet: false, cancellation);
    }

    /// <summary>What is said of one.</summary>
    public static AppPageModel.Message Said(BulkChange bulk, Dataset? dataset, RecordFormat format) =>
        new(BulkWords.Of(bulk, dataset, format))
        {
            Bulk = bulk,
            Progress = bulk.Status is BulkStatus.Running ? new RunProgress(bulk.Done + bulk.Refused, bulk.Records) : null,
        };

    /// <summary>The change that is to be spoken of after what is asked for was done; null where it cannot be done.</summary>
    protected abstract Task<BulkChange?> AfterAsync(BulkChange bulk, Guid person, CancellationToken cancellation);
}

/// <summary>How far it is; its end, once it has come.</summary>
[Handles("GET", "BulkProgress")]
internal sealed class BulkProgressHandler(BulkChanges changes, CurrentPerson person) : BegunBulkHandler(changes, person)
{
    protected override Task<BulkChange?> AfterAsync(BulkChange bulk, Guid person, CancellationToken cancellation) =>
        Task.FromResult<BulkChange?>(bulk);
}

/// <summary>Stops it before its next part.</summary>
[Handles("POST", "BulkStop")]
internal sealed class BulkStopHandler(BulkChanges changes, CurrentPerson person) : BegunBulkHandler(changes, person)
{
    private readonly BulkChanges _changes = changes;

    protected override async Task<BulkChange?> AfterAsync(BulkChange bulk, Guid person, CancellationToken cancellation)
    {
        await _changes.StopAsync(bulk.Id, person, cancellation);
        return await _changes.FindAsync(bulk.Id, person, cancellation);
    }
}

/// <summary>Takes back what it changed.</summary>
[Handles("POST", "BulkUndo")]
internal sealed class BulkUndoHandler(BulkChanges changes, CurrentPerson person) : BegunBulkHandler(changes, person)
{
    private readonly BulkChanges _changes = changes;

    protected override Task<BulkChange?> AfterAsync(BulkChange bulk, Guid person, CancellationToken cancellation) =>
        _changes.UndoAsync(bulk.Id, person, cancellation);
}
