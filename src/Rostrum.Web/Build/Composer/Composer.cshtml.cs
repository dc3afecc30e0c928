using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People;
using Rostrum.Web.Security;
using Page = Rostrum.Core.Apps.Page;

namespace Rostrum.Web.Build.Composer;

/// <summary>Where a builder composes a page: the Outline, the page itself, and the Dock.</summary>
internal sealed partial class ComposerModel(
    RostrumStore store,
    Drafts drafts,
    PublishedApps apps,
    DraftEditing editing,
    WorkspaceCache workspaces,
    CurrentPerson person,
    RecordGate gate,
    RecordFormat format
) : PageModel
{
    private Workspace _workspace = null!;

    public AppDraft App { get; private set; } = null!;

    public Page Current { get; private set; } = null!;

    /// <summary>The panel whose settings the Dock shows; the page's own where null.</summary>
    public Panel? Selected { get; private set; }

    public string Part { get; private set; } = "content";

    public DatasetCatalogue Catalogue { get; private set; } = null!;

    /// <summary>The datasets to choose from, by their labels; where several have one label, the source stands with it.</summary>
    public IEnumerable<(DatasetId Id, string Label)> Datasets => _workspace.Labelled(Catalogue.All.Where(dataset => !dataset.IsStatement));

    /// <summary>The statements that change data, likewise.</summary>
    public IEnumerable<(DatasetId Id, string Label)> Statements => _workspace.Labelled(Catalogue.All.Where(dataset => dataset.IsStatement));

    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    public ImmutableArray<AppProblem> Problems { get; private set; } = [];

    /// <summary>The changes since the live version.</summary>
    public int Changes { get; private set; }

    public (string? Undo, string? Redo) Possible { get; private set; }

    /// <summary>The page as the builder sees it: what its formulas stand for at this moment.</summary>
    public PageRun Run { get; private set; } = null!;

    /// <summary>What the panels asked of their sources, where that is looked at.</summary>
    public ImmutableArray<PanelCost> Costs { get; private set; } = [];

    /// <summary>A source's name.</summary>
    public string SourceName(SourceId source) => _workspace.Sources.TryGetValue(source.Value, out var known) ? known.Name : "a source";

    /// <summary>What is said of what was just done.</summary>
    public string? Said { get; private set; }

    public bool IsRefusal { get; private set; }

    /// <summary>Somebody else touched the same thing; the builder decides.</summary>
    public (StoredEdit Theirs, AppEdit Mine)? Overlap { get; private set; }

    /// <summary>The Dock is drawn anew as well.</summary>
    public bool WithDock { get; private set; } = true;

    public string Here => $"/build/apps/{App.Address}/pages/{Current.Address}";

    public string Address(string? handler = null, params (string Name, string? Value)[] more) =>
        QueryHelpers.AddQueryString(
            Here,
            new (string Name, string? Value)[] { ("panel", Selected?.Name), ("part", Part), ("handler", handler) }
                .Concat(more)
                .Where(pair => pair.Value is not null)
                .Select(pair => KeyValuePair.Create(pair.Name, pair.Value))
        );

    public IEnumerable<AppProblem> ProblemsOf(string panel) =>
        Problems.Where(problem => problem.Page == Current.Address && problem.Panel == panel);

    public async Task<IActionResult> OnGetAsync(string address, string shown, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        await ReadAsync(cancellation);
        return Request.IsPartial() ? Partial("/Build/Composer/_DockAlone.cshtml", this) : Page();
    }

    /// <summary>What others did since the builder last looked.</summary>
    public async Task<IActionResult> OnGetSinceAsync(string address, string shown, int revision, CancellationToken cancellation)
    {
        // Asked every few seconds, and nearly always in vain.
        if (
            await store.Apps.Where(app => app.Address == address).Select(app => (int?)app.Revision).FirstOrDefaultAsync(cancellation)
            <= revision
        )
        {
            return new NoContentResult();
        }

        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        await ReadAsync(cancellation);
        var theirs = await store
            .Edits.AsNoTracking()
            .Where(row => row.AppId == App.Id && row.Revision > revision && row.PersonId != person.Id)
            .OrderByDescending(row => row.Revision)
            .FirstOrDefaultAsync(cancellation);
        Said = theirs is null ? null : $"{theirs.PersonName}: {theirs.Said}";
        return Changed();
    }

    /// <summary>The panels of this page that are slow or ask for much, as they are at this moment.</summary>
    public async Task<IActionResult> OnGetSlowAsync(string address, string shown, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        await ReadAsync(cancellation);
        var costs = await PanelCost.OfAsync(Run, gate, Current.Panels.SelectMany(panel => panel.All), cancellation);
        Costs = [.. costs.Where(cost => cost.IsProblem)];
        return Partial("/Build/Composer/_SlowPanels.cshtml", this);
    }

    /// <summary>What the command line finds: pages, panels, datasets, fields, commands.</summary>
    public async Task<IActionResult> OnGetCommandsAsync(string address, string shown, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        var used = FrozenApp.Of(App.Draft, Catalogue).Datasets;
        var here = $"/build/apps/{App.Address}";
        return new JsonResult(
            (CommandEntry[])
                [
                    .. App.Draft.Pages.Select(page => new CommandEntry(page.Name, "page", $"{here}/pages/{page.Address}")),
                    .. App.Draft.Pages.SelectMany(page =>
                        page.All.Select(panel => new CommandEntry(
                            panel.Name,
                            $"{panel.Kind.Label.ToLowerInvariant()} on {page.Name}",
                            $"{here}/pages/{page.Address}?panel={panel.Name}"
                        ))
                    ),
                    .. used.Select(CommandEntry.Of),
                    .. used.SelectMany(CommandEntry.FieldsOf),
                    new("Add a panel", "command", "#add"),
                    new("Add a page", "command", "#page"),
                    new("Undo", "command", "#undo"),
                    new("Redo", "command", "#redo"),
                    new("Problems", "command", "#problems"),
                    new("Fold the Dock", "command", "#dock"),
                    new("Fold the Outline", "command", "#outline"),
                    new("Duplicate the panel", "command", "#duplicate"),
                    new("Remove the panel", "command", "#remove"),
                    new("Keys", "command", "#keys"),
                    new("Preview", "command", $"/try/{App.Address}/{Current.Address}"),
                    new("Publish", "command", $"{here}/versions"),
                ]
        );
    }

    public async Task<IActionResult> OnPostUndoAsync(string address, string shown, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation)
            ? await OutcomeAsync(
                await editing.UndoAsync(address, Catalogue, person.Id!.Value, await person.NameAsync(cancellation), cancellation),
                null,
                Selected?.Name,
                cancellation
            )
            : NotFound();

    public async Task<IActionResult> OnPostRedoAsync(string address, string shown, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation)
            ? await OutcomeAsync(
                await editing.RedoAsync(address, Catalogue, person.Id!.Value, await person.NameAsync(cancellation), cancellation),
                null,
                Selected?.Name,
                cancellation
            )
            : NotFound();

    // A builder who leaves the page at once has said what there is to say: the edit is made all the same.
    private async Task<IActionResult> EditAsync(
        AppEdit edit,
        int revision,
        CancellationToken cancellation,
        string? select = null,
        string? goTo = null
    ) =>
        await OutcomeAsync(
            await editing.EditAsync(
                App.Address,
                Catalogue,
                revision,
                edit,
                person.Id!.Value,
                await person.NameAsync(cancellation),
                Request.Query.ContainsKey("regardless"),
                CancellationToken.None
            ),
            edit,
            select ?? Selected?.Name,
            cancellation,
            goTo
        );

    private async Task<IActionResult> OutcomeAsync(
        DraftOutcome outcome,
        AppEdit? mine,
        string? select,
        CancellationToken cancellation,
        string? goTo = null
    )
    {
        var page =
            outcome is DraftOutcome.Done { Edit: AppEdit.SetPage { Key: PageSettings.Address } readdressed } && mine is not null
                ? readdressed.Value
                : goTo ?? Current.Address;
        if (outcome is DraftOutcome.Done && page != Current.Address)
        {
            Response.Headers["HX-Redirect"] = $"/build/apps/{App.Address}/pages/{page}";
            return new NoContentResult();
        }

        if (!await LoadAsync(App.Address, page, cancellation))
        {
            Response.Headers["HX-Redirect"] = $"/build/apps/{App.Address}";
            return new NoContentResult();
        }

        var changed = Selected?.Name != select || (select is not null && Current.Find(select) is null);
        Selected = select is { Length: > 0 } ? Current.Find(select) : null;
        WithDock |= changed;
        await ReadAsync(cancellation);
        (Said, IsRefusal) = outcome switch
        {
            DraftOutcome.Refused refused => (refused.Reason, true),
            _ => (null, false),
        };
        Overlap = outcome is DraftOutcome.Overlap overlap && mine is not null ? (overlap.Theirs, mine) : null;
        return Changed(changed || Selected is null ? Selected?.Name ?? "" : null);
    }

    // The parts around the page; the page itself is asked for anew by the browser.
    private PartialViewResult Changed(string? select = null)
    {
        // Answers may come in another order than they were asked for: the browser heeds none that is older than what it shows.
        Response.Headers["Draft-Revision"] = App.Revision.ToString(CultureInfo.InvariantCulture);
        Response.Headers["HX-Trigger-After-Swap"] = JsonSerializer.Serialize(
            new Dictionary<string, object?> { ["draft-changed"] = new { select } }
        );
        return Partial("/Build/Composer/_Composed.cshtml", this);
    }

    private async Task<bool> LoadAsync(string address, string shown, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(store, address, cancellation) is not { } stored || stored.Draft.Find(shown) is not { } page)
        {
            return false;
        }

        (App, Current) = (stored, page);
        Selected = Request.Query["panel"].ToString() is { Length: > 0 } name ? page.Find(name) : null;
        Part = Request.Query["part"].ToString() is "behaviour" or "appearance" or "problems" or "cost"
            ? Request.Query["part"].ToString()
            : "content";
        _workspace = await workspaces.GetAsync(cancellation);
        Catalogue ??= _workspace.Datasets;
        return true;
    }

    // What the parts around the page show.
    private async Task ReadAsync(CancellationToken cancellation)
    {
        Roles = _workspace.Roles;
        Problems = AppProblems.Of(App.Draft, Catalogue, _workspace.Anybody);
        Possible = await editing.PossibleAsync(App.Id, person.Id!.Value, cancellation);
        Changes = (await apps.LiveAsync(App.Address, cancellation))?.ChangesTo(App.Draft, Catalogue) ?? 0;
        var running = new RunningApp(App.Address, App.Draft, Catalogue, null);
        Run = new PageRun(
            running,
            Current,
            $"/canvas/{App.Address}/{Current.Address}",
            PageAddress.Read(Current, Request.Query["state"].ToString()),
            await person.GrantsAsync(cancellation),
            gate,
            format
        );
        if (WithDock)
        {
            await Run.PrepareAsync(cancellation);
        }

        if (WithDock && Part == "cost")
        {
            Costs = await PanelCost.OfAsync(Run, gate, Selected?.All ?? Current.Panels.SelectMany(panel => panel.All), cancellation);
        }
    }
}
