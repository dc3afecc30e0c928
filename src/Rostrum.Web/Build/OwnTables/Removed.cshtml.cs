using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Datasets;
using Rostrum.Core.OwnTables;
using Rostrum.Store;

namespace Rostrum.Web.Build.OwnTables;

/// <summary>Own tables that were removed not long ago, and can be brought back.</summary>
internal sealed class RemovedModel(OwnTableSetUp setUp, RecordFormat format) : PageModel
{
    private const int MostShown = 200;

    public RecordFormat Format => format;

    public ImmutableArray<(string Label, StoredAlteration Alteration)> Tables { get; private set; } = [];

    public string? Refusal { get; private set; }

    public Task OnGetAsync(CancellationToken cancellation) => ReadAsync(cancellation);

    public async Task<IActionResult> OnPostAsync(Guid alteration, CancellationToken cancellation)
    {
        await ReadAsync(cancellation);
        var table = Tables.FirstOrDefault(known => known.Alteration.Id == alteration).Alteration;
        Refusal = table is null ? "There is nothing to bring back any more." : await setUp.UndoAsync(alteration, cancellation);
        if (table is null || Refusal is not null)
        {
            return Page();
        }

        TempData["note"] = "The table is back, with its records.";
        return Redirect(TableEditing.AddressOf(new DatasetId(table.DatasetId)));
    }

    private async Task ReadAsync(CancellationToken cancellation) =>
        Tables = [
            .. from known in await setUp.AlterationsAsync(null, MostShown, cancellation)
            where known is { UndoneBy: null, Undo: TableAlteration.TableRemoved }
            select (((TableAlteration.TableRemoved)known.Undo!).Before.Label, known),
        ];
}
