using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
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

    public Dataset Dataset { get; protected set; } = null!;

    public ImmutableArray<LogChange> Changes { get; protected set; } = [];

    /// <summary>The number from which older changes go on; null where there are none.</summary>
    public long? Older { get; protected set; }

    /// <summary>The change that could not be taken back.</summary>
    public RefusedUndo? Refused { get; private set; }

    public bool MayUndo { get; protected set; }

    protected PartialViewResult Shown() => Partial(partial, this);

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

    protected IActionResult Answer(long id, SaveResult? result)
    {
        if (result is SaveResult.Saved)
        {
            // The page shows what it was before: it is read again, in the state that its address says.
            Response.Headers["HX-Refresh"] = "true";
            return new EmptyResult();
        }

        return Refuse(new RefusedUndo(id, RecordLogbook.Because(Dataset, result)));
    }

    protected PartialViewResult Refuse(RefusedUndo refused)
    {
        Refused = refused;
        return Shown();
    }
}
