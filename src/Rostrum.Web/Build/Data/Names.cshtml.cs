using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Data;

/// <summary>What a table's records are called, and what names one of them.</summary>
internal sealed class NamesModel(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, RecordFormat format)
    : DatasetPage(store, workspaces, format)
{
    private const int MostExamples = 6;

    /// <summary>The titles of some records.</summary>
    public ImmutableArray<string> Examples { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(Guid id, Guid table, CancellationToken cancellation) =>
        await LoadAsync(id, table, cancellation) ? await ShowAsync(cancellation) : NotFound();

    public async Task<IActionResult> OnPostAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return NotFound();
        }

        var (changed, refusal) = DatasetNames.Read(Dataset, Catalogue, Request.Form);
        if (changed is null)
        {
            Refusal = refusal;
            return await ShowAsync(cancellation);
        }

        return await SaveAsync(changed, "The names are saved.", $"{Here}/names", cancellation, async () => await ShowAsync(cancellation));
    }

    private async Task<PageResult> ShowAsync(CancellationToken cancellation)
    {
        Examples = await gate.ReadAsync(
            Catalogue,
            new ReadRequest(Dataset.Id) { Window = new PageWindow.FromStart(0, MostExamples) },
            Builder,
            cancellation
        )
            is ReadResult.Rows rows
            ? [.. rows.Records.Select(record => record.Title)]
            : [];
        return Page();
    }
}
