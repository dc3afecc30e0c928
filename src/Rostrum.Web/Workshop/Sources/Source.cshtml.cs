using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Core.Formulas;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Workshop.Apps;

namespace Rostrum.Web.Workshop.Sources;

/// <summary>A source's tables, and one of them opened: its columns, keys, relations and some of its rows.</summary>
internal sealed class SourceModel(RostrumStore store, RecordGate gate, RecordFormat format, AppWriting writing) : PageModel
{
    private const int SampleRows = 8;
    private FormulaShape? _shape;

    public sealed record TableEntry(Dataset Dataset, TableStructure Structure);

    public StoredSource Source { get; private set; } = null!;

    public ImmutableArray<TableEntry> Tables { get; private set; } = [];

    public TableEntry Open { get; private set; } = null!;

    public DatasetCatalogue Catalogue { get; private set; } = new([]);

    public ReadResult Sample { get; private set; } = null!;

    /// <summary>For each relation of the table, and each to it, the record to which most lead: "Kittiwake has 46".</summary>
    public IReadOnlyDictionary<Relation, string> Examples { get; private set; } = new Dictionary<Relation, string>();

    public RecordFormat Format => format;

    public string? Refusal { get; private set; }

    [BindProperty]
    public string AppName { get; set; } = "";

    [BindProperty]
    public IReadOnlyList<Guid> Chosen { get; set; } = [];

    public async Task<IActionResult> OnGetAsync(Guid id, Guid? table, CancellationToken cancellation) =>
        await LoadAsync(id, table, cancellation) ? await ShowAsync(cancellation) : NotFound();

    /// <summary>Drafts an app from the chosen tables.</summary>
    public async Task<IActionResult> OnPostDraftAsync(Guid id, Guid? table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return NotFound();
        }

        var chosen = Tables.Select(entry => entry.Dataset).Where(dataset => Chosen.Contains(dataset.Id.Value)).ToArray();
        Refusal = chosen.Length == 0 ? "Choose at least one table." : string.IsNullOrWhiteSpace(AppName) ? "Give the app a name." : null;
        return Refusal is null ? Redirect($"/workshop/apps/{await writing.DraftAsync(AppName.Trim(), chosen, Catalogue, cancellation)}") : await ShowAsync(cancellation);
    }

    /// <summary>Corrects what was guessed of a table.</summary>
    public async Task<IActionResult> OnPostCorrectAsync(Guid id, Guid table, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, table, cancellation))
        {
            return NotFound();
        }

        var stored = await store.Datasets.FirstAsync(row => row.Id == Open.Dataset.Id.Value, cancellation);
        var (corrected, refusal) = DatasetCorrection.Read(Open.Dataset, Request.Form);
        Refusal = refusal;
        if (corrected is null)
        {
            return await ShowAsync(cancellation);
        }

        stored.Definition = corrected;
        await store.SaveChangesAsync(cancellation);
        return Redirect($"/workshop/sources/{id:N}/{table:N}?saved=1");
    }

    /// <summary>What is wrong with a computed field's formula; null where nothing is.</summary>
    public string? ProblemOf(Field field) =>
        (_shape ??= new DatasetShapes(Catalogue, Grants.Everywhere(Grant.ViewOnly)).Of(Open.Dataset).Shape) is var shape && shape.Computed(shape.IndexOf(field.Name.Value)) is { Problem: { } problem } ? problem : null;

    public static string Rows(TableStructure table) => table.EstimatedRows is { } rows ? rows.ToString("#,##0", CultureInfo.InvariantCulture) : "–";

    private async Task<bool> LoadAsync(Guid id, Guid? table, CancellationToken cancellation)
    {
        if (await store.Sources.AsNoTracking().FirstOrDefaultAsync(source => source.Id == id, cancellation) is not { } source)
        {
            return false;
        }

        Source = source;
        Catalogue = await store.DatasetsAsync(cancellation, id);
        Tables = [.. source.Structure.Tables.Select(structure => Catalogue.All.FirstOrDefault(dataset => dataset.Table == structure.Name) is { } dataset ? new TableEntry(dataset, structure) : null).OfType<TableEntry>()];
        if (Tables.IsEmpty || (table is null ? Tables[0] : Tables.FirstOrDefault(entry => entry.Dataset.Id.Value == table)) is not { } open)
        {
            return false;
        }

        Open = open;
        return true;
    }

    // Rows and examples are read only for a page that is shown.
    private async Task<PageResult> ShowAsync(CancellationToken cancellation)
    {
        var dataset = Open.Dataset;
        Sample = await gate.ReadAsync(
            Catalogue,
            new ReadRequest(dataset.Id)
            {
                Fields = [.. dataset.Fields.Select(field => field.Name)],
                Titles = [.. dataset.Relations.Select(relation => relation.Name)],
                Window = new PageWindow.FromStart(0, SampleRows),
                Counted = true,
            },
            Grants.Everywhere(Grant.ViewOnly),
            cancellation);
        Examples = await ExamplesAsync(dataset, cancellation);
        return Page();
    }

    private async Task<Dictionary<Relation, string>> ExamplesAsync(Dataset dataset, CancellationToken cancellation)
    {
        var examples = new Dictionary<Relation, string>();
        foreach (var relation in dataset.Relations.Concat(Catalogue.RelationsTo(dataset.Id).Select(pair => pair.Relation)).Distinct())
        {
            var count = new FieldName("how_many");
            var request = new ReadRequest(relation.Target)
            {
                Computed = [new ComputedColumn(count, $"COUNT({Formatter.Name(relation.InverseName.Value)})")],
                Sort = [new SortBy(count, Descending: true)],
                Window = new PageWindow.FromStart(0, 1),
            };
            if (await gate.ReadAsync(Catalogue, request, Grants.Everywhere(Grant.ViewOnly), cancellation) is ReadResult.Rows { Records: [var record] } && record[count] is decimal and > 0 and var number)
            {
                examples.Add(relation, string.Create(format.Culture, $"{record.Title} has {number:#,##0}"));
            }
        }

        return examples;
    }
}
