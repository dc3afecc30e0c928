using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Web.Bulk;
using Rostrum.Web.People;

namespace Rostrum.Web.Logbook;

/// <summary>Changes of a dataset's records, from which they are undone.</summary>
/// <param name="partial">What shows them.</param>
/// <param name="logbook">The logbook.</param>
/// <param name="many">Changes of many records.</param>
/// <param name="person">Who looks.</param>
internal abstract class LogbookModel(string partial, RecordLogbook logbook, BulkChanges many, CurrentPerson person) : PageModel
{
    protected RecordLogbook Log => logbook;

    protected CurrentPerson Visitor => person;

    public Dataset Dataset { get; private set; } = null!;

    public ImmutableArray<LogChange> Changes { get; protected set; } = [];

    /// <summary>The number from which older changes go on; null where there are none.</summary>
    public long? Older { get; protected set; }

    /// <summary>The change that could not be taken back.</summary>
    public RefusedUndo? Refused { get; private set; }

    public bool MayUndo { get; private set; }

    protected PartialViewResult Shown() => Partial(partial, this);

    /// <summary>A change that is seen, with those around it: where it is older than those of the first page, from it on.</summary>
    /// <param name="id">The change.</param>
    /// <param name="load">Reads the changes before a number, or the newest.</param>
    protected async Task<LogChange?> FindAsync(long id, Func<long?, Task<bool>> load)
    {
        LogChange? Found() => Changes.FirstOrDefault(change => change.Id == id);
        return !await load(null) ? null : Found() ?? (await load(id + 1) ? Found() : null);
    }

    /// <summary>Shows a dataset's changes to somebody with some rights.</summary>
    protected void Open(Dataset dataset, Grants grants)
    {
        Dataset = dataset;
        var verbs = grants.For(dataset.Id).Verbs;
        MayUndo = grants.ReadOnlyBecause is null && (verbs & (Verbs.Update | Verbs.Delete | Verbs.Create)) != Verbs.None;
    }

    /// <summary>Takes back a change.</summary>
    protected async Task<IActionResult> UndoneAsync(LogChange change, bool overwrites, CancellationToken cancellation)
    {
        var grants = await person.GrantsAsync(cancellation);
        var result = await logbook.UndoAsync(change.Id, overwrites, grants, cancellation);
        return result is SaveResult.Conflict { Current: not null }
            ? Refuse(await logbook.InTheWayAsync(Dataset, change.Key, change.Id, grants, cancellation))
            : Answer(change.Id, result);
    }

    /// <summary>Takes back all that was saved in the same go as a change; in the background where that is many records.</summary>
    protected async Task<IActionResult> TogetherAsync(LogChange change, CancellationToken cancellation)
    {
        if (change.Bulk is { } bulk)
        {
            return MayUndo && person.Id is { } id ? await ManyAsync(change, bulk, id, cancellation) : NotFound();
        }

        var result = await logbook.UndoTogetherAsync(change.Id, await person.GrantsAsync(cancellation), cancellation);
        return result is SaveResult.Conflict { Current: var current }
            ? Refuse(RefusedUndo.OfSeveral(change.Id, current))
            : Answer(change.Id, result);
    }

    private async Task<IActionResult> ManyAsync(LogChange change, long bulk, Guid id, CancellationToken cancellation)
    {
        if (await many.UndoAsync(bulk, id, cancellation) is not { } undo)
        {
            return Refuse(new RefusedUndo(change.Id, "The change of many records still goes on."));
        }

        if (undo.PersonId != id)
        {
            return Refuse(new RefusedUndo(change.Id, "Somebody has undone the change of many records already."));
        }

        Response.Headers["HX-Redirect"] = $"/bulk/{undo.Id}";
        return new EmptyResult();
    }

    private IActionResult Answer(long id, SaveResult? result)
    {
        if (result is SaveResult.Saved)
        {
            // The page shows what it was before: it is read again, in the state that its address says.
            Response.Headers["HX-Refresh"] = "true";
            return new EmptyResult();
        }

        return Refuse(new RefusedUndo(id, RecordLogbook.Because(Dataset, result)));
    }

    private PartialViewResult Refuse(RefusedUndo refused)
    {
        Refused = refused;
        return Shown();
    }
}
