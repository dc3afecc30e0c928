using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Apps;

namespace Rostrum.Web.Build.Data;

/// <summary>
/// All that an app's draft takes from the tables, on one screen: what they and their fields are called, and what names a record.
/// </summary>
internal sealed class DraftModel(RostrumStore store, WorkspaceCache workspaces, RecordGate gate, RecordFormat format, AppWriting writing)
    : DatasetPage(store, workspaces, format)
{
    private const int MostExamples = 2;

    public static ImmutableArray<(RecordOpening Opening, string Label)> Openings { get; } =
    [
        (RecordOpening.Page, "on a page of its own, with what belongs to it"),
        (RecordOpening.Beside, "beside the list, in a form"),
        (RecordOpening.Sheet, "over the list, in a sheet"),
    ];

    [BindProperty]
    public string AppName { get; set; } = "";

    [BindProperty]
    public RecordOpening Opening { get; set; } = RecordOpening.Page;

    /// <summary>The roles that see the app, beside builders.</summary>
    [BindProperty]
    public IReadOnlyList<string> Audience { get; set; } = [];

    [BindProperty(SupportsGet = true)]
    public IReadOnlyList<Guid> Chosen { get; set; } = [];

    /// <summary>The chosen tables' datasets, each with what some of its records are called.</summary>
    public ImmutableArray<(Dataset Dataset, ImmutableArray<string> Examples)> Entries { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync(Guid id, CancellationToken cancellation) =>
        await LoadAsync(id, null, cancellation) ? await ShowAsync([.. ChosenDatasets], cancellation) : NotFound();

    public async Task<IActionResult> OnPostAsync(Guid id, CancellationToken cancellation)
    {
        if (!await LoadAsync(id, null, cancellation))
        {
            return NotFound();
        }

        var (changed, problem) = Read([.. ChosenDatasets]);
        Refusal = string.IsNullOrWhiteSpace(AppName) ? "Give the app a name." : problem;
        if (Refusal is not null)
        {
            return await ShowAsync(changed, cancellation);
        }

        await KeepAsync(changed, cancellation);
        var catalogue = await Store.DatasetsAsync(cancellation);
        var address = await writing.DraftAsync(
            AppName.Trim(),
            [.. changed.Select(dataset => catalogue.Find(dataset.Id)!)],
            catalogue,
            cancellation,
            Opening,
            [.. Audience.Intersect(Roles.Select(role => role.Name))]
        );
        return Redirect($"/build/apps/{address}");
    }

    // Those that are ticked; where none is, all that are there.
    private IEnumerable<Dataset> ChosenDatasets =>
        Tables
            .Select(entry => entry.Dataset)
            .Where(dataset => !dataset.IsStatement)
            .Where(dataset => Chosen.Count == 0 ? dataset.GoneBecause is null : Chosen.Contains(dataset.Id.Value));

    // What was typed, as far as it can be had, and the first thing that is wrong with it.
    private (ImmutableArray<Dataset> Changed, string? Problem) Read(ImmutableArray<Dataset> chosen)
    {
        var (changed, first) = (ImmutableArray.CreateBuilder<Dataset>(), (string?)null);
        foreach (var dataset in chosen)
        {
            var (named, problem) = DatasetNames.Read(dataset, Catalogue, Request.Form, $".{dataset.Id}");
            ImmutableArray<Field> fields =
            [
                .. dataset.Fields.Select(field =>
                    Request.Form[$"field.{dataset.Id}.{field.Name}"].ToString().Trim() is { Length: > 0 } typed
                        ? field with
                        {
                            Label = typed,
                        }
                        : field
                ),
            ];
            first ??= problem is null ? null : $"{dataset.Table}: {problem}";
            changed.Add((named ?? dataset) with { Fields = fields.SequenceEqual(dataset.Fields) ? dataset.Fields : fields });
        }

        return (changed.ToImmutable(), first);
    }

    private async Task KeepAsync(ImmutableArray<Dataset> changed, CancellationToken cancellation) =>
        await Store.SaveOnNewestAsync(
            async () =>
            {
                foreach (var dataset in changed.Where(dataset => dataset != Catalogue.Find(dataset.Id)))
                {
                    var stored = await Store.FindAsync<StoredDataset>([dataset.Id.Value], cancellation);
                    stored!.Definition = DatasetMerge.Onto(stored.Definition, Catalogue.Find(dataset.Id)!, dataset) ?? stored.Definition;
                }
            },
            cancellation
        );

    private async Task<IActionResult> ShowAsync(ImmutableArray<Dataset> chosen, CancellationToken cancellation)
    {
        var entries = ImmutableArray.CreateBuilder<(Dataset, ImmutableArray<string>)>();
        foreach (var dataset in chosen)
        {
            var request = new ReadRequest(dataset.Id) { Window = new PageWindow.FromStart(0, MostExamples) };
            entries.Add(
                (
                    dataset,
                    await gate.ReadAsync(Catalogue, request, Builder, cancellation) is ReadResult.Rows rows
                        ? [.. rows.Records.Select(record => record.Title)]
                        : []
                )
            );
        }

        Entries = entries.ToImmutable();
        return Page();
    }
}
