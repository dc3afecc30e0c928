using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Rostrum.Core;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Panels.Charts;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Web.Live;

namespace Rostrum.Web.Build.Composer;

/// <summary>How panels come to a page: proposed for a dataset, chosen by kind, copied and pasted, duplicated.</summary>
internal sealed partial class ComposerModel
{
    /// <summary>The panels that suit a dataset, drawn small with its records.</summary>
    public ImmutableArray<(PanelProposal Proposal, Live.Panels.PanelView View)> Proposals { get; private set; } = [];

    /// <summary>The panels that suit a dataset.</summary>
    public async Task<IActionResult> OnGetProposalsAsync(string address, string shown, Guid? dataset, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        if (dataset is not { } id || Catalogue.Find(new DatasetId(id)) is not { } of)
        {
            return Content("");
        }

        var proposals = PanelProposals.For(Current, of, Catalogue);
        var drawn = proposals
            .Select(
                (proposal, at) => (Proposal: proposal, Panel: Small(proposal.Panel with { Name = AppPageModel.Proposed(of.Id, at + 1) }))
            )
            .ToArray();
        var page = Current with { Panels = [.. Current.Panels, .. drawn.Select(one => one.Panel)] };
        var run = new PageRun(
            new RunningApp(App.Address, App.Draft, Catalogue, null),
            page,
            $"/canvas/{App.Address}/{Current.Address}",
            PageAddress.Read(page, Request.Query["state"].ToString()),
            await person.GrantsAsync(cancellation),
            gate,
            format
        );
        await run.PrepareAsync(cancellation);
        var reading = new Live.Panels.PageReading(run);
        Proposals = [.. await Task.WhenAll(drawn.Select(async one => (one.Proposal, await reading.ReadAsync(one.Panel, cancellation))))];
        return Partial("/Build/Composer/_Proposals.cshtml", this);
    }

    public async Task<IActionResult> OnPostAddProposedAsync(
        string address,
        string shown,
        string proposal,
        Guid dataset,
        string? parent,
        string? before,
        int revision,
        CancellationToken cancellation
    )
    {
        if (
            !await LoadAsync(address, shown, cancellation)
            || Catalogue.Find(new DatasetId(dataset)) is not { } of
            || PanelProposals.For(Current, of, Catalogue).FirstOrDefault(known => known.Key == proposal) is not { } chosen
        )
        {
            return NotFound();
        }

        var (into, index) = PlaceFor(chosen.Panel, parent, before);
        return await EditAsync(new AppEdit.AddPanel(Current.Address, into, index, chosen.Panel), revision, cancellation, chosen.Panel.Name);
    }

    // A few records are enough to see what it is.
    private static Panel Small(Panel panel) =>
        panel switch
        {
            TablePanel table => table with
            {
                RowsPerPage = 4,
                Columns = [.. table.Columns.Take(4)],
                Searchable = false,
                AllowFiltering = false,
                AllowAdding = false,
            },
            ListPanel list => list with { RowsPerPage = 3, Searchable = false, AllowAdding = false },
            ChartPanel chart => chart with { Height = 110 },
            _ => panel,
        };

    public async Task<IActionResult> OnPostAddAsync(
        string address,
        string shown,
        string kind,
        Guid? dataset,
        string? parent,
        string? before,
        int revision,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(address, shown, cancellation) || PanelKind.All.FirstOrDefault(known => known.Name == kind) is not { } known)
        {
            return NotFound();
        }

        var of = dataset is { } id ? Catalogue.Find(new DatasetId(id)) : null;
        if (known.NeedsDataset && of is null)
        {
            await ReadAsync(cancellation);
            (Said, IsRefusal) = ($"Choose the records that the {known.Label.ToLowerInvariant()} shows.", true);
            return Changed();
        }

        var made = known.Make(
            PanelNaming.Fresh(
                Current,
                of is null || known.NeedsDataset is false ? known.Label
                    : known.Name == "tablePanel" ? of.Name.Value
                    : $"{of.RecordLabel} {known.Label}"
            ),
            of
        );
        var (into, index) = PlaceFor(made, parent, before);
        return await EditAsync(new AppEdit.AddPanel(Current.Address, into, index, made), revision, cancellation, made.Name);
    }

    /// <summary>A panel as text, for the clipboard.</summary>
    public async Task<IActionResult> OnGetCopyAsync(string address, string shown, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null
            ? new JsonResult(new { text = KindJson.Write<Panel>(Selected) })
            : NotFound();

    public async Task<IActionResult> OnPostDuplicateAsync(string address, string shown, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null
            ? await InsertAsync(Selected, revision, cancellation)
            : NotFound();

    public async Task<IActionResult> OnPostPasteAsync(
        string address,
        string shown,
        string text,
        int revision,
        CancellationToken cancellation
    )
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        if (PanelClipboard.Read(text) is { } panel)
        {
            return await InsertAsync(panel, revision, cancellation);
        }

        await ReadAsync(cancellation);
        (Said, IsRefusal, WithDock) = ("What is on the clipboard is no panel of Rostrum's.", true, false);
        return Changed();
    }

    private Task<IActionResult> InsertAsync(Panel panel, int revision, CancellationToken cancellation)
    {
        var renewed = PanelNaming.Renewed(Current, panel, Catalogue);
        var (into, index) = PlaceFor(renewed, null, null);
        return EditAsync(new AppEdit.AddPanel(Current.Address, into, index, renewed), revision, cancellation, renewed.Name);
    }

    // After the selected panel, or within it where it holds others; what opens stands on the page itself.
    private (string? Parent, int Index) PlaceFor(Panel made, string? parent, string? before)
    {
        if (before is { Length: > 0 } && Current.Find(before) is not null)
        {
            var (into, at) = PageTree.PlaceOf(Current, before);
            return made.Opens ? (null, Current.Panels.Length) : (into, at);
        }

        if (made.Opens || Selected is null)
        {
            return (Setting.Blank(made.Opens ? "" : parent ?? ""), int.MaxValue);
        }

        if (Selected.IsContainer)
        {
            return (Selected.Name, int.MaxValue);
        }

        var (within, index) = PageTree.PlaceOf(Current, Selected.Name);
        return (within, index + 1);
    }
}
