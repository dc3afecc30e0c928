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
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People;
using Rostrum.Web.Security;
using Page = Rostrum.Core.Apps.Page;

namespace Rostrum.Web.Workshop.Composer;

/// <summary>Where a builder composes a page: the Outline, the page itself, and the Dock.</summary>
internal sealed class ComposerModel(RostrumStore store, Drafts drafts, PublishedApps apps, DraftEditing editing, WorkspaceCache workspaces, CurrentPerson person, RecordGate gate, RecordFormat format) : PageModel
{
    public StoredApp App { get; private set; } = null!;

    public Page Current { get; private set; } = null!;

    /// <summary>The panel whose settings the Dock shows; the page's own where null.</summary>
    public Panel? Selected { get; private set; }

    public string Part { get; private set; } = "content";

    public DatasetCatalogue Catalogue { get; private set; } = null!;

    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    public ImmutableArray<AppProblem> Problems { get; private set; } = [];

    /// <summary>The changes since the live version.</summary>
    public int Changes { get; private set; }

    public (string? Undo, string? Redo) Possible { get; private set; }

    /// <summary>The page as the builder sees it: what its formulas stand for at this moment.</summary>
    public PageRun Run { get; private set; } = null!;

    /// <summary>What is said of what was just done.</summary>
    public string? Said { get; private set; }

    public bool IsRefusal { get; private set; }

    /// <summary>Somebody else touched the same thing; the builder decides.</summary>
    public (StoredEdit Theirs, AppEdit Mine)? Overlap { get; private set; }

    /// <summary>The Dock is drawn anew as well.</summary>
    public bool WithDock { get; private set; } = true;

    public string Here => $"/workshop/apps/{App.Address}/pages/{Current.Address}";

    public string Address(string? handler = null, params (string Name, string? Value)[] more) => QueryHelpers.AddQueryString(Here, new (string Name, string? Value)[] { ("panel", Selected?.Name), ("part", Part), ("handler", handler) }.Concat(more).Where(pair => pair.Value is not null).Select(pair => KeyValuePair.Create(pair.Name, pair.Value)));

    public IEnumerable<AppProblem> ProblemsOf(string panel) => Problems.Where(problem => problem.Page == Current.Address && problem.Panel == panel);

    public async Task<IActionResult> OnGetAsync(string address, string shown, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        await ReadAsync(cancellation);
        return Request.IsPartial() ? Partial("/Workshop/Composer/_DockAlone.cshtml", this) : Page();
    }

    /// <summary>What others did since the builder last looked.</summary>
    public async Task<IActionResult> OnGetSinceAsync(string address, string shown, int revision, CancellationToken cancellation)
    {
        // Asked every few seconds, and nearly always in vain.
        if (await store.Apps.Where(app => app.Address == address).Select(app => (int?)app.Revision).FirstOrDefaultAsync(cancellation) <= revision)
        {
            return new NoContentResult();
        }

        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        await ReadAsync(cancellation);
        var theirs = await store.Edits.AsNoTracking().Where(row => row.AppId == App.Id && row.Revision > revision && row.PersonId != person.Id).OrderByDescending(row => row.Revision).FirstOrDefaultAsync(cancellation);
        Said = theirs is null ? null : $"{theirs.PersonName}: {theirs.Said}";
        return Changed();
    }

    /// <summary>What the command line finds: pages, panels, datasets, fields, commands.</summary>
    public async Task<IActionResult> OnGetCommandsAsync(string address, string shown, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        var used = FrozenApp.Of(App.Draft, Catalogue).Datasets;
        return new JsonResult((object[])
        [
            .. App.Draft.Pages.Select(page => new { words = page.Name, kind = "page", go = $"/workshop/apps/{App.Address}/pages/{page.Address}" }),
            .. App.Draft.Pages.SelectMany(page => page.All.Select(panel => new { words = panel.Name, kind = $"{panel.Kind.Label.ToLowerInvariant()} on {page.Name}", go = $"/workshop/apps/{App.Address}/pages/{page.Address}?panel={panel.Name}" })),
            .. used.Select(dataset => new { words = dataset.Label, kind = "dataset", go = $"/workshop/sources/{dataset.Source}/{dataset.Id}" }),
            .. used.SelectMany(dataset => dataset.Fields.Select(field => new { words = dataset.LabelOf(field.Name), kind = $"field of {dataset.LabelInSentence}", go = $"/workshop/sources/{dataset.Source}/{dataset.Id}?field={field.Name}" })),
            .. new[] { ("Add a panel", "add"), ("Add a page", "page"), ("Undo", "undo"), ("Redo", "redo"), ("Problems", "problems"), ("Fold the Dock", "dock"), ("Fold the Outline", "outline"), ("Duplicate the panel", "duplicate"), ("Remove the panel", "remove"), ("Keys", "keys") }.Select(command => new { words = command.Item1, kind = "command", go = $"#{command.Item2}" }),
            new { words = "Try the draft", kind = "command", go = $"/try/{App.Address}/{Current.Address}" },
            new { words = "Publish", kind = "command", go = $"/workshop/apps/{App.Address}/versions" },
        ]);
    }

    /// <summary>A panel as text, for the clipboard.</summary>
    public async Task<IActionResult> OnGetCopyAsync(string address, string shown, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null ? new JsonResult(new { text = KindJson.Write<Panel>(Selected) }) : NotFound();

    public async Task<IActionResult> OnPostSetAsync(string address, string shown, string key, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        object of = Selected is null ? Current : Selected;
        var settings = Selected?.Kind.Settings ?? PageSettings.All;
        AppEdit[] edits = [.. SettingForm.Read(of, settings, key, Request.Form).Where(said => said.Text != said.Setting.Get(of)).Select(said => Set(said.Setting.Key, said.Text))];
        var kind = settings.FirstOrDefault(setting => setting.Key == key)?.Kind;
        WithDock = kind is not (SettingKind.Line or SettingKind.AnyValue or SettingKind.Prose or SettingKind.Condition or SettingKind.Whole or SettingKind.ComputedToggle or SettingKind.SomeRecord or SettingKind.SomeRecords or SettingKind.Toggle);
        return edits.Length == 0 ? new NoContentResult() : await EditAsync(edits is [var one] ? one : new AppEdit.Several([.. edits], string.Join("; ", edits.Select(edit => edit.Says(App.Draft)))), revision, cancellation);
    }

    /// <summary>One field of a list up or down.</summary>
    public async Task<IActionResult> OnPostOrderAsync(string address, string shown, string key, string field, int by, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null && Selected.Kind.Find(key) is { } setting
            ? await EditAsync(Set(key, SettingForm.Moved(setting.Get(Selected), field, by)), revision, cancellation)
            : NotFound();

    /// <summary>Something about the steps of an action.</summary>
    public async Task<IActionResult> OnPostStepAsync(string address, string shown, string key, int? action, bool failure, int? step, string does, string? with, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null && Selected.Kind.Find(key) is { } setting
            ? await EditAsync(Set(key, new StepCommand(key, action, failure, step, does, with ?? Request.Form[$"{StepCommand.Prefix(key, action, failure, null)}with"].ToString()).Applied(setting, Selected, Request.Form)), revision, cancellation)
            : NotFound();

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
        var drawn = proposals.Select((proposal, at) => (Proposal: proposal, Panel: Small(proposal.Panel with { Name = AppPageModel.Proposed(of.Id, at + 1) }))).ToArray();
        var page = Current with { Panels = [.. Current.Panels, .. drawn.Select(one => one.Panel)] };
        var run = new PageRun(new RunningApp(App.Address, App.Draft, Catalogue, null), page, $"/canvas/{App.Address}/{Current.Address}", PageState.Read(page, QueryHelpers.ParseQuery(Request.Query["state"].ToString())), await person.GrantsAsync(cancellation), gate, format);
        await run.PrepareAsync(cancellation);
        var reading = new Live.Panels.PageReading(run);
        Proposals = [.. await Task.WhenAll(drawn.Select(async one => (one.Proposal, await reading.ReadAsync(one.Panel, cancellation))))];
        return Partial("/Workshop/Composer/_Proposals.cshtml", this);
    }

    public async Task<IActionResult> OnPostAddProposedAsync(string address, string shown, string proposal, Guid dataset, string? parent, string? before, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation) || Catalogue.Find(new DatasetId(dataset)) is not { } of || PanelProposals.For(Current, of, Catalogue).FirstOrDefault(known => known.Key == proposal) is not { } chosen)
        {
            return NotFound();
        }

        var (into, index) = PlaceFor(chosen.Panel, parent, before);
        return await EditAsync(new AppEdit.AddPanel(Current.Address, into, index, chosen.Panel), revision, cancellation, chosen.Panel.Name);
    }

    // A few records are enough to see what it is.
    private static Panel Small(Panel panel) => panel switch
    {
        TablePanel table => table with { PageSize = 4, Columns = [.. table.Columns.Take(4)], Searchable = false, Filterable = false, AddsRecords = false },
        CardsPanel cards => cards with { PageSize = 3, Searchable = false, AddsRecords = false },
        _ => panel,
    };

    /// <summary>Something about the lists of what belongs to each record.</summary>
    public async Task<IActionResult> OnPostNestedAsync(string address, string shown, string key, string? path, string does, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null && Selected.Kind.Find(key) is { Kind: SettingKind.NestedLists } setting
            ? await EditAsync(Set(key, SettingKind.NestedLists.Write(new NestedCommand(path ?? "", does).Applied(SettingKind.NestedLists.Read(setting.Get(Selected))!.Value, Catalogue, Request.Form))), revision, cancellation)
            : NotFound();

    public async Task<IActionResult> OnPostAddAsync(string address, string shown, string kind, Guid? dataset, string? parent, string? before, int revision, CancellationToken cancellation)
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

        var made = known.Make(PanelNaming.Fresh(Current, of is null || known.NeedsDataset is false ? known.Label : known.Name == "tablePanel" ? of.Name.Value : $"{of.RecordLabel} {known.Label}"), of);
        var (into, index) = PlaceFor(made, parent, before);
        return await EditAsync(new AppEdit.AddPanel(Current.Address, into, index, made), revision, cancellation, made.Name);
    }

    public async Task<IActionResult> OnPostMoveAsync(string address, string shown, string? parent, string? before, string? by, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation) || Selected is null)
        {
            return NotFound();
        }

        var (within, at) = PageTree.PlaceOf(Current, Selected.Name);
        var among = within is null ? Current.Panels : Current.Find(within)!.Panels;
        var place = by switch
        {
            "up" => (within, at - 1),
            "down" => (within, at + 1),
            "in" when at > 0 && among[at - 1].IsContainer => (among[at - 1].Name, among[at - 1].Panels.Length),
            "out" when within is not null && PageTree.PlaceOf(Current, within) is var outer => (outer.Parent, outer.Index + 1),
            null or "" => Target(parent, before),
            _ => ((string?)null, -1),
        };
        return place.Item2 < 0 || place == (within, at) ? new NoContentResult() : await EditAsync(new AppEdit.MovePanel(Current.Address, Selected.Name, place.Item1, place.Item2), revision, cancellation);

        // A panel that stands before its own new place leaves a gap behind.
        (string? Parent, int Index) Target(string? into, string? next)
        {
            var others = into is null or "" ? Current.Panels : Current.Find(into)?.Panels ?? [];
            var index = next is { Length: > 0 } ? others.IndexOf(others.FirstOrDefault(panel => panel.Name == next)!) : others.Length;
            var own = others.IndexOf(Selected!);
            return (Setting.Blank(into ?? ""), own >= 0 && own < index ? index - 1 : index);
        }
    }

    public async Task<IActionResult> OnPostRenameAsync(string address, string shown, string name, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null
            ? name.Trim() == Selected.Name ? new NoContentResult() : await EditAsync(new AppEdit.RenamePanel(Current.Address, Selected.Name, name.Trim()), revision, cancellation, name.Trim())
            : NotFound();

    public async Task<IActionResult> OnPostRemoveAsync(string address, string shown, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null ? await EditAsync(new AppEdit.RemovePanel(Current.Address, Selected.Name), revision, cancellation, "") : NotFound();

    public async Task<IActionResult> OnPostDuplicateAsync(string address, string shown, int revision, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) && Selected is not null ? await InsertAsync(Selected, revision, cancellation) : NotFound();

    public async Task<IActionResult> OnPostPasteAsync(string address, string shown, string text, int revision, CancellationToken cancellation)
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

    public async Task<IActionResult> OnPostCorrectAsync(string address, string shown, string edit, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        return KindJson.Read<AppEdit>(edit) is { } known ? await EditAsync(known, revision, cancellation) : BadRequest();
    }

    public async Task<IActionResult> OnPostUndoAsync(string address, string shown, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) ? await OutcomeAsync(await editing.UndoAsync(address, Catalogue, person.Id!.Value, await person.NameAsync(cancellation), cancellation), null, Selected?.Name, cancellation) : NotFound();

    public async Task<IActionResult> OnPostRedoAsync(string address, string shown, CancellationToken cancellation) =>
        await LoadAsync(address, shown, cancellation) ? await OutcomeAsync(await editing.RedoAsync(address, Catalogue, person.Id!.Value, await person.NameAsync(cancellation), cancellation), null, Selected?.Name, cancellation) : NotFound();

    public async Task<IActionResult> OnPostAddPageAsync(string address, string shown, string name, Guid? dataset, bool withRecord, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        if (string.IsNullOrWhiteSpace(name))
        {
            await ReadAsync(cancellation);
            (Said, IsRefusal, WithDock) = ("A page needs a name.", true, false);
            return Changed();
        }

        var of = dataset is { } id ? Catalogue.Find(new DatasetId(id)) : null;
        var page = (of is null ? new Page { Address = "", Name = "", Panels = [] } : withRecord ? AppDrafting.PageWithRecord(of, []) : AppDrafting.PageFor(of, [])) with
        {
            Name = name.Trim(),
            Address = Wording.FieldName(name, App.Draft.Pages.Select(known => new FieldName(known.Address))).Value.ToLowerInvariant(),
            Audience = Current.Audience,
        };
        page = PageSettings.IsAddress(page.Address) ? page : page with { Address = $"page_{App.Draft.Pages.Length + 1}" };
        return await EditAsync(new AppEdit.AddPage(App.Draft.Pages.IndexOf(Current) + 1, page), revision, cancellation, "", page.Address);
    }

    public async Task<IActionResult> OnPostPageAsync(string address, string shown, string does, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, shown, cancellation))
        {
            return NotFound();
        }

        var at = App.Draft.Pages.IndexOf(Current);
        AppEdit? edit = does switch
        {
            "home" => new AppEdit.SetApp(AppEdit.SetApp.Home, Current.Address),
            "earlier" when at > 0 => new AppEdit.MovePage(Current.Address, at - 1),
            "later" when at < App.Draft.Pages.Length - 1 => new AppEdit.MovePage(Current.Address, at + 1),
            "remove" => new AppEdit.RemovePage(Current.Address),
            _ => null,
        };
        return edit is null ? new NoContentResult() : await EditAsync(edit, revision, cancellation, "", does == "remove" ? App.Draft.Pages[at == 0 ? Math.Min(1, App.Draft.Pages.Length - 1) : at - 1].Address : null);
    }

    private AppEdit Set(string key, string text) => Selected is null ? new AppEdit.SetPage(Current.Address, key, text) : new AppEdit.SetSetting(Current.Address, Selected.Name, key, text);

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

    // A builder who leaves the page at once has said what there is to say: the edit is made all the same.
    private async Task<IActionResult> EditAsync(AppEdit edit, int revision, CancellationToken cancellation, string? select = null, string? goTo = null) =>
        await OutcomeAsync(await editing.EditAsync(App.Address, Catalogue, revision, edit, person.Id!.Value, await person.NameAsync(cancellation), Request.Query.ContainsKey("regardless"), CancellationToken.None), edit, select ?? Selected?.Name, cancellation, goTo);

    private async Task<IActionResult> OutcomeAsync(DraftOutcome outcome, AppEdit? mine, string? select, CancellationToken cancellation, string? goTo = null)
    {
        var page = outcome is DraftOutcome.Done { Edit: AppEdit.SetPage { Key: PageSettings.Address } readdressed } && mine is not null ? readdressed.Value : goTo ?? Current.Address;
        if (outcome is DraftOutcome.Done && page != Current.Address)
        {
            Response.Headers["HX-Redirect"] = $"/workshop/apps/{App.Address}/pages/{page}";
            return new NoContentResult();
        }

        if (!await LoadAsync(App.Address, page, cancellation))
        {
            Response.Headers["HX-Redirect"] = $"/workshop/apps/{App.Address}";
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
        Response.Headers["HX-Trigger-After-Swap"] = JsonSerializer.Serialize(new Dictionary<string, object?> { ["draft-changed"] = new { select } });
        return Partial("/Workshop/Composer/_Composed.cshtml", this);
    }

    private async Task<bool> LoadAsync(string address, string shown, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(store, address, cancellation) is not { } stored || stored.Draft.Find(shown) is not { } page)
        {
            return false;
        }

        (App, Current) = (stored, page);
        Selected = Request.Query["panel"].ToString() is { Length: > 0 } name ? page.Find(name) : null;
        Part = Request.Query["part"].ToString() is "behaviour" or "appearance" or "problems" ? Request.Query["part"].ToString() : "content";
        Catalogue ??= (await workspaces.GetAsync(cancellation)).Datasets;
        return true;
    }

    // What the parts around the page show.
    private async Task ReadAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        Roles = workspace.Roles;
        Problems = AppProblems.Of(App.Draft, Catalogue, workspace.Anybody);
        Possible = await editing.PossibleAsync(App.Id, person.Id!.Value, cancellation);
        var live = await apps.LiveAsync(App.Address, cancellation);
        Changes = live is null ? 0 : AppComparison.Between(live.Frozen, FrozenApp.Of(App.Draft, Catalogue)).Length;
        var running = new RunningApp(App.Address, App.Draft, Catalogue, null);
        Run = new PageRun(running, Current, $"/canvas/{App.Address}/{Current.Address}", PageState.Read(Current, QueryHelpers.ParseQuery(Request.Query["state"].ToString())), await person.GrantsAsync(cancellation), gate, format);
        if (WithDock)
        {
            await Run.PrepareAsync(cancellation);
        }
    }
}
