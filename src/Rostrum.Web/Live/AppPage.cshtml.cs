using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Live.Panels;
using Rostrum.Web.Live.Panels.Table;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.People;
using Rostrum.Web.Security;
using Page = Rostrum.Core.Apps.Page;

namespace Rostrum.Web.Live;

/// <summary>A page of an app: of its live version below <c>/apps</c>, of its draft below <c>/try</c>, and within Build below <c>/canvas</c>.</summary>
internal sealed partial class AppPageModel(PublishedApps apps, RecordGate gate, RecordFormat format, CurrentPerson person, Undoing undoing, RostrumStore store) : PageModel
{
    public RunningApp App { get; private set; } = null!;

    public Page Current { get; private set; } = null!;

    public ImmutableArray<Page> Pages { get; private set; } = [];

    public PageRun Run { get; private set; } = null!;

    public ImmutableArray<PanelView> Panels { get; private set; } = [];

    public SheetView Sheet { get; private set; } = new SheetView.Closed();

    public Message? Said { get; private set; }

    /// <summary>The way by which one came here; null where there is none.</summary>
    public RecordWay? Way { get; private set; }

    /// <summary>The page is shown within Build, to be edited.</summary>
    public bool IsCanvas => Request.Path.StartsWithSegments("/canvas", StringComparison.Ordinal);

    public bool IsDraft => IsCanvas || Request.Path.StartsWithSegments("/try", StringComparison.Ordinal);

    public string Root => $"/{(IsCanvas ? "canvas" : IsDraft ? "try" : "apps")}/{App.Address}";

    public string Path => $"{Root}/{Current.Address}";

    /// <summary>Through whose eyes a builder looks; null where it is the builder's own.</summary>
    public Onlooker? SeenAs { get; private set; }

    public ImmutableArray<Onlooker> Onlookers { get; private set; } = [];

    /// <summary>What just happened, for the bar at the foot.</summary>
    public sealed record Message(string Text, Guid? Undo = null);

    public async Task<IActionResult> OnGetAsync(string app, string? address, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (address is null)
        {
            return Redirect(Path);
        }

        await PrepareAsync(cancellation);
        if (Request.IsPartial())
        {
            var before = Request.CurrentState(Current);
            return await PartsAsync([.. Run.Graph.Affected(Run.State.Changed(before)), .. Run.State.ChangedPanels(before), .. Request.TargetPanel()], Request.Target() == "sheet" || Run.State.OpenTable != before.OpenTable, cancellation);
        }

        return await WholeAsync(cancellation);
    }

    /// <summary>Whether a newer version than the one that somebody has open is live.</summary>
    public async Task<IActionResult> OnGetVersionAsync(string app, string? address, int version, CancellationToken cancellation) =>
        await OpenAsync(app, address, cancellation) is { } refusal ? refusal
        : App.Version is not { } live || live <= version ? new NoContentResult()
        : Partial("/Live/_NewVersion.cshtml", this);

    /// <summary>The choices of one part of a table's filter sentence.</summary>
    public async Task<IActionResult> OnGetFilterAsync(string app, string? address, string? panel, string field, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (FindPanel(panel) is not TablePanel table)
        {
            return NotFound();
        }

        await PrepareAsync(cancellation);
        return await FilterEditorView.ReadAsync(Run, table, new FieldName(field), cancellation) is { } view ? Partial("/Live/Panels/Table/_FilterEditor.cshtml", view) : NotFound();
    }

    /// <summary>Related records whose title or texts match what was typed.</summary>
    public async Task<IActionResult> OnGetLookupAsync(string app, string? address, string? panel, string field, string? q, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (FindPanel(panel) is not { Of: { } of } || App.Datasets.Find(of)?.RelationOf(new FieldName(field)) is not { } relation || App.Datasets.Find(relation.Target) is not { } target)
        {
            return NotFound();
        }

        return await ChoicesAsync(target, relation.TargetField, new Filter.Everything(), q, cancellation);
    }

    /// <summary>Records among which an input chooses.</summary>
    public async Task<IActionResult> OnGetChoicesAsync(string app, string? address, string panel, string? q, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        if (Current.Find(panel) is not InputPanel { Dataset: { } of } input || App.Datasets.Find(of) is not { Key: [var key] } target)
        {
            return NotFound();
        }

        await PrepareAsync(cancellation);
        return await ChoicesAsync(target, key, input.Filter is null ? new Filter.Everything() : new Filter.Holds(input.Filter), q, cancellation);
    }

    /// <summary>A picture of a record. It is served so that nothing in it can run.</summary>
    public async Task<IActionResult> OnGetImageAsync(string app, string? address, string? panel, string field, CancellationToken cancellation)
    {
        if (await OpenAsync(app, address, cancellation) is { } refusal)
        {
            return refusal;
        }

        var name = new FieldName(field);
        if ((ProposedOf(panel) ?? FindPanel(panel)?.Of) is not { } of || App.Datasets.Find(of) is not { } dataset
            || RecordKey.Parse(dataset, Request.Query["record"].ToString()) is not { } key || dataset.Find(name) is not { IsPicture: true }
            || await TableReader.OneAsync(gate, App, dataset, key, [name], [], Run.Grants, cancellation) is not { } record
            || record[name] is not byte[] bytes || Pictures.MediaType(bytes) is not { } type)
        {
            return NotFound();
        }

        Response.Headers.ContentSecurityPolicy = "default-src 'none'; style-src 'unsafe-inline'; sandbox";
        Response.Headers.CacheControl = "private, max-age=60";
        return File(bytes, type);
    }

    /// <summary>The name of a panel that Build only proposes: it says of which dataset it is.</summary>
    public static string Proposed(DatasetId dataset, int number) => $"proposed-{dataset}-{number.ToString(System.Globalization.CultureInfo.InvariantCulture)}";

    private DatasetId? ProposedOf(string? panel) => IsCanvas && panel?.Split('-') is ["proposed", var id, _] && Guid.TryParse(id, out var known) ? new DatasetId(known) : null;

    /// <summary>A group of pages as it stands in the navigation.</summary>
    public IEnumerable<(string? Group, ImmutableArray<Page> Pages)> Navigation =>
        Pages.Where(page => !page.Unlisted).GroupBy(page => page.Group ?? $"/{page.Address}").Select(group => (group.First().Group, group.ToImmutableArray()));

    private async Task<IActionResult> ChoicesAsync(Dataset target, FieldName value, Filter filter, string? q, CancellationToken cancellation)
    {
        var request = new ReadRequest(target.Id)
        {
            Fields = [value],
            Filter = filter,
            Search = q ?? "",
            Sort = target.Title is [{ Relations: [] } first, ..] ? [new SortBy(first.Field)] : [],
            Window = new PageWindow.FromStart(0, 30),
            Names = Run.Names,
        };
        return await gate.ReadAsync(App.Datasets, request, Run.Grants, cancellation) is ReadResult.Rows rows
            ? new JsonResult(rows.Records.Where(record => record[value] is not null).Select(record => new
            {
                value = FieldText.ToInput(target[value].Type, record[value], format.Zone),
                text = record.Title,
            }))
            : StatusCode(StatusCodes.Status503ServiceUnavailable);
    }

    private async Task<IActionResult?> OpenAsync(string app, string? address, CancellationToken cancellation)
    {
        // Within Build a page is looked at, and saves nothing.
        if ((IsDraft && !await person.MayBuildAsync(cancellation)) || (IsCanvas && !HttpMethods.IsGet(Request.Method)))
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        if ((IsDraft ? await apps.DraftAsync(app, cancellation) : await apps.LiveAsync(app, cancellation)) is not { } running)
        {
            return NotFound();
        }

        App = running;
        if (IsDraft && !IsCanvas)
        {
            Onlookers = await person.OnlookersAsync(running.Definition.Pages.SelectMany(page => page.Audience).ToHashSet(), cancellation);
            SeenAs = Onlookers.FirstOrDefault(other => other.Name == (Request.Query["as"].Count > 0 ? Request.Query["as"].ToString() : Request.Cookies["seen-as"]));
            if (Request.Query["as"].Count > 0)
            {
                Response.Cookies.Append("seen-as", SeenAs?.Name ?? "", new CookieOptions { HttpOnly = true, SameSite = SameSiteMode.Strict, Path = "/try" });
            }
        }

        var roles = SeenAs?.Roles ?? await person.RolesAsync(cancellation);
        Pages = [.. running.Definition.Pages.Where(page => IsCanvas || page.IsFor(roles))];
        if (address is not null && running.Definition.Find(address) is null)
        {
            return NotFound();
        }

        if ((address is null ? Pages.FirstOrDefault(page => page.Address == running.Definition.Home) ?? Pages.FirstOrDefault(page => !page.Unlisted) : Pages.FirstOrDefault(page => page.Address == address)) is not { } page)
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        Current = page;
        var grants = SeenAs is null ? await person.GrantsAsync(cancellation) : await person.GrantsAsync(SeenAs, cancellation);
        Run = new PageRun(App, page, Path, PageState.Read(page, Request.Query), grants, gate, format) { Pages = Pages };
        return null;
    }

    // What the page needs before its panels are read: the records that its address names, and how the person has its tables.
    private async Task PrepareAsync(CancellationToken cancellation)
    {
        var records = Run.PrepareAsync(cancellation);
        if (!IsCanvas && person.Id is { } id && (HttpMethods.IsPost(Request.Method) || await person.HasOwnTablesAsync(App.Address, Current.Address, cancellation)))
        {
            Run.Personal = await store.PersonalTables.AsNoTracking().Where(row => row.PersonId == id && row.App == App.Address && row.Page == Current.Address).ToDictionaryAsync(row => row.Panel, row => row.View, cancellation);
        }

        await records;
    }

    // The panel that a request is about: the one that it names, or else the table whose record is open, or the first.
    private Panel? FindPanel(string? name) => name is not null ? Current.Find(name) : Run.State.OpenTable ?? Current.All.OfType<ListPanel>().FirstOrDefault();

    private async Task<IActionResult> WholeAsync(CancellationToken cancellation)
    {
        var reading = new PageReading(Run);
        if (Sheet is SheetView.Closed && Run.State.OpenTable is { } table)
        {
            Sheet = await new FormReader(Run).ReadAsync(table, cancellation);
        }

        var (way, panels) = Together(() => (RecordWay.ReadAsync(Run, cancellation), Task.WhenAll(Current.Panels.Select(panel => reading.ReadAsync(panel, cancellation)))));
        (Panels, Way) = ([.. await panels], await way);
        return Page();
    }

    /// <summary>The panels to be shown anew, and what else goes with them. Those within another that is shown go with it.</summary>
    private async Task<IActionResult> PartsAsync(IEnumerable<string> names, bool withSheet, CancellationToken cancellation)
    {
        var reading = new PageReading(Run);
        var wanted = Run.Graph.Order.Intersect(names).ToHashSet();
        var shown = new List<Panel>();
        foreach (var panel in wanted.Select(name => Current.Find(name)!).Where(panel => !Within(panel, wanted)))
        {
            if (await reading.HasPlaceAsync(panel, cancellation))
            {
                shown.Add(panel);
            }
        }

        if (withSheet && Sheet is SheetView.Closed && Run.State.OpenTable is { } table)
        {
            Sheet = await new FormReader(Run).ReadAsync(table, cancellation);
        }

        Panels = [.. await Together(() => Task.WhenAll(shown.Select(panel => reading.ReadAsync(panel, cancellation))))];
        return Partial("/Live/_Parts.cshtml", new PageParts(this, Request.Target(), withSheet));
    }

    // What is begun here asks each source in one round trip.
    private T Together<T>(Func<T> begin)
    {
        using var held = Run.Gate.Hold();
        return begin();
    }

    private bool Within(Panel panel, HashSet<string> others)
    {
        for (var parent = Current.ParentOf(panel.Name); parent is not null; parent = Current.ParentOf(parent.Name))
        {
            if (others.Contains(parent.Name))
            {
                return true;
            }
        }

        return false;
    }
}

/// <summary>Parts of a page that take the place of what is shown.</summary>
/// <param name="Page">The page.</param>
/// <param name="Target">The element into which the first goes; the others go each to their own.</param>
/// <param name="WithSheet">The record's sheet is among them.</param>
internal sealed record PageParts(AppPageModel Page, string Target, bool WithSheet);
