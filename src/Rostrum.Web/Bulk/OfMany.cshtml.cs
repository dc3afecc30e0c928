using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Bulk;

/// <summary>A change of many records: how far it is, what could not be changed and why; it is stopped and undone here.</summary>
internal sealed class OfManyModel(BulkChanges changes, WorkspaceCache workspaces, CurrentPerson person, RecordFormat format) : PageModel
{
    public BulkChange Bulk { get; private set; } = null!;

    public Dataset? Dataset { get; private set; }

    public ImmutableArray<(string Title, string Because)> Refused { get; private set; } = [];

    public string Says => BulkWords.Of(Bulk, Dataset, format);

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public async Task<IActionResult> OnGetAsync(long id, CancellationToken cancellation) =>
        await LoadAsync(id, cancellation) ? Page() : NotFound();

    /// <summary>All reasons as a file.</summary>
    public async Task<IActionResult> OnGetRefusedAsync(long id, CancellationToken cancellation) =>
        await LoadAsync(id, cancellation) ? new RefusedFile(Refused, $"not imported {id}.csv") : NotFound();

    public async Task<IActionResult> OnPostStopAsync(long id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, cancellation))
        {
            return NotFound();
        }

        await changes.StopAsync(id, person.Id!.Value, cancellation);
        return RedirectToPage(new { id });
    }

    public async Task<IActionResult> OnPostUndoAsync(long id, CancellationToken cancellation) =>
        await LoadAsync(id, cancellation) && await changes.UndoAsync(id, person.Id!.Value, cancellation) is { } undo
            ? RedirectToPage(new { undo.Id })
            : NotFound();

    private async Task<bool> LoadAsync(long id, CancellationToken cancellation)
    {
        if (person.Id is not { } own || await changes.FindAsync(id, own, cancellation) is not { } bulk)
        {
            return false;
        }

        Bulk = bulk;
        Dataset = (await workspaces.GetAsync(cancellation)).Datasets.Find(new DatasetId(bulk.DatasetId));
        Refused = await changes.RefusedAsync(id, cancellation);
        return true;
    }
}
