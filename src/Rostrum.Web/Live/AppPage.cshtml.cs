using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.State;
using Rostrum.Core.Datasets;
using Rostrum.Core.Workflows;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.OwnTables;
using Rostrum.Web.Live.Actions;
using Rostrum.Web.Live.Panels;
using Rostrum.Web.Live.Panels.Table.Grid;
using Rostrum.Web.Live.Public;
using Rostrum.Web.Live.Sheet;
using Rostrum.Web.Logbook;
using Rostrum.Web.People;
using Rostrum.Web.People.Viewing;
using Rostrum.Web.Security;
using Page = Rostrum.Core.Apps.Page;

namespace Rostrum.Web.Live;

/// <summary>
/// A page of an app: of its live version below <c>/apps</c>, of its draft below <c>/try</c>, and within Build below <c>/canvas</c>; or an
/// own table that is filled and altered, below <c>/build/tables</c>.
/// </summary>
internal sealed class AppPageModel(
    PublishedApps apps,
    RecordGate gate,
    RecordFormat format,
    CurrentPerson person,
    ViewAs viewAs,
    RostrumStore store,
    AppOpenings openings,
    TableEditor tables,
    ILogger<AppPageModel> log
) : PageModel
{
    public RunningApp App { get; private set; } = null!;

    public Page Current { get; private set; } = null!;

    public ImmutableArray<Page> Pages { get; private set; } = [];

    public PageRun Run { get; private set; } = null!;

    public ImmutableArray<PanelView> Panels { get; set; } = [];

    public RecordFormView Sheet { get; set; } = new RecordFormView.Closed();

    /// <summary>What just happened, for the bar at the foot.</summary>
    public Message? Said { get; set; }

    /// <summary>What is asked at this moment, before something is done.</summary>
    public Question? Question { get; set; }

    /// <summary>The way by which one came here; null where there is none.</summary>
    public RecordWay? Way { get; private set; }

    /// <summary>For how many seconds each page is shown on a wall, one after the other; null where it is not on one.</summary>
    public int? Wall => Number("wall") is { } seconds && !IsCanvas && Link is null ? Math.Clamp(seconds, 5, 3600) : null;

    /// <summary>The page that follows on a wall.</summary>
    public string AfterOnWall
    {
        get
        {
            Page[] shown = [.. Pages.Where(page => !page.Unlisted)];
            var next = shown.Length == 0 ? Current : shown[(Array.IndexOf(shown, Current) + 1) % shown.Length];
            return string.Create(CultureInfo.InvariantCulture, $"{Root}/{next.Address}?wall={Wall}");
        }
    }

    private const int MostInLine = 8;

    /// <summary>The page is shown within Build, to be edited.</summary>
    public bool IsCanvas => Request.Path.StartsWithSegments("/canvas", StringComparison.OrdinalIgnoreCase);

    public bool IsDraft => IsCanvas || Request.Path.StartsWithSegments("/try", StringComparison.OrdinalIgnoreCase);

    /// <summary>The public link by which somebody came; null where somebody is signed in.</summary>
    public PublicLink? Link { get; private set; }

    /// <summary>The own table that is filled and altered; null where the page is one of an app.</summary>
    public TableEditing? Editing { get; private set; }

    public string Root =>
        Link is not null ? Request.Path
        : Editing is not null ? $"/{TableEditing.App}"
        : $"/{(IsCanvas ? "canvas" : IsDraft ? "try" : "apps")}/{App.Address}";

    public string Path => Link is not null ? Root : $"{Root}/{Current.Address}";

    /// <summary>The builder has said that this preview may change real records.</summary>
    public bool AllowsChanges => IsDraft && Request.Cookies[PreviewHandler.Cookie] == PreviewHandler.Allowed;

    /// <summary>Through whose eyes one looks; null where through one's own.</summary>
    public Onlooker? SeenAs { get; private set; }

    public ImmutableArray<Onlooker> Onlookers { get; private set; } = [];

    /// <summary>What just happened, for the bar at the foot.</summary>
    public sealed record Message(string Text, Guid? Undo = null)
    {
        /// <summary>The run that goes on: it is asked after until it has ended.</summary>
        public long? Run { get; init; }

        /// <summary>The change of many records that goes on, and can be stopped; or that ended, and can be undone.</summary>
        public BulkChange? Bulk { get; init; }

        /// <summary>How far that is.</summary>
        public RunProgress? Progress { get; init; }
    }

    /// <summary>The panel that the request names; null where it names none that there is.</summary>
    public Panel? Named => Current.Find(Value("panel"));

    /// <summary>The panel that the request is about: the one that it names, or else the list whose record is open, or the first.</summary>
    public Panel? Asked => Value("panel").Length > 0 ? Named : Run.State.OpenTable ?? Current.All.OfType<ListPanel>().FirstOrDefault();

    public Task<IActionResult> OnGetAsync(string? app, string? address, CancellationToken cancellation) =>
        AnswerAsync(app, address, cancellation);

    public Task<IActionResult> OnPostAsync(string? app, string? address, CancellationToken cancellation) =>
        AnswerAsync(app, address, cancellation);

    /// <summary>What the request says under a name, in its form or its address; blank where it says nothing.</summary>
    public string Value(string name) =>
        Request.HasFormContentType && Request.Form.TryGetValue(name, out var typed) ? typed.ToString() : Request.Query[name].ToString();

    /// <summary>A whole number that the request says; null where it says none.</summary>
    public int? Number(string name) =>
        int.TryParse(Value(name), NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;

    private async Task<IActionResult> AnswerAsync(string? app, string? address, CancellationToken cancellation)
    {
        Link = HttpContext.PublicLink();
        if (Link is not null)
        {
            (app, address) = (Link.App, Link.Page);
        }

        var own = Guid.TryParse(RouteData.Values["own"]?.ToString(), out var table) ? table : (Guid?)null;
        address = own?.ToString() ?? address;
        if (app is null && own is null)
        {
            return NotFound();
        }

        if (await (own is { } id ? OpenTableAsync(id, cancellation) : OpenAsync(app!, address, cancellation)) is { } refusal)
        {
            return refusal;
        }

        if (Request.Query["handler"].ToString() is { Length: > 0 } name)
        {
            return Link?.Answers(name) is false ? StatusCode(StatusCodes.Status403Forbidden)
                : LiveHandler.Find(Request.Method, name, HttpContext.RequestServices) is { } handler
                    ? await handler.AnswerAsync(this, cancellation)
                : NotFound();
        }

        return HttpMethods.IsPost(Request.Method) ? StatusCode(StatusCodes.Status405MethodNotAllowed)
            : address is null ? Redirect(Path)
            : await ShowAsync(cancellation);
    }

    private async Task<IActionResult> ShowAsync(CancellationToken cancellation)
    {
        await PrepareAsync(cancellation);
        if (!Request.IsPartial())
        {
            if (!IsDraft && SeenAs is null && Link is null && Editing is null)
            {
                await openings.OpenedAsync(store, person.Id!.Value, App.Address, cancellation);
            }

            return await WholeAsync(cancellation);
        }

        var before = Request.CurrentState(Current);
        string[] changed = [.. Run.Graph.Affected(Run.State.Changed(before)), .. Run.State.ChangedPanels(before), .. Request.TargetPanel()];
        return await PartsAsync(changed, Request.Target() == "sheet" || Run.State.OpenTable != before.OpenTable, cancellation);
    }

    /// <summary>The name of a panel that Build only proposes: it says of which dataset it is.</summary>
    public static string Proposed(DatasetId dataset, int number) =>
        $"proposed-{dataset}-{number.ToString(System.Globalization.CultureInfo.InvariantCulture)}";

    /// <summary>The dataset of the proposed panel that the request names; null where it names none.</summary>
    public DatasetId? ProposedOf =>
        IsCanvas && Value("panel").Split('-') is ["proposed", var id, _] && Guid.TryParse(id, out var known) ? new DatasetId(known) : null;

    /// <summary>
    /// The pages as they stand in the navigation, by their groups; those that do not fit the line are in a group of their own.
    /// </summary>
    public IEnumerable<(string? Group, ImmutableArray<Page> Pages)> Navigation
    {
        get
        {
            var groups = Pages
                .Where(page => !page.Unlisted)
                .GroupBy(page => page.Group ?? $"/{page.Address}")
                .Select(group => (group.First().Group, Pages: group.ToImmutableArray()))
                .ToArray();
            return groups.Length <= MostInLine
                ? groups
                : [.. groups.Take(MostInLine - 1), ("More", [.. groups.Skip(MostInLine - 1).SelectMany(group => group.Pages)])];
        }
    }

    private async Task<IActionResult?> OpenAsync(string app, string? address, CancellationToken cancellation)
    {
        // Within Build a page is looked at, and saves nothing.
        if ((IsDraft && !await person.MayBuildAsync(app, cancellation)) || (IsCanvas && !HttpMethods.IsGet(Request.Method)))
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        if ((IsDraft ? await apps.DraftAsync(app, cancellation) : await apps.LiveAsync(app, cancellation)) is not { } running)
        {
            return NotFound();
        }

        App = running;
        if (!IsCanvas)
        {
            SeenAs = await viewAs.SeenAsync(cancellation);
        }

        if (IsDraft && !IsCanvas)
        {
            var audience = running.Definition.Pages.SelectMany(page => page.Audience).ToHashSet();
            Onlookers = await viewAs.OffersAsync("", audience, cancellation);
        }

        var roles = SeenAs?.Roles ?? await person.RolesAtWorkAsync(cancellation);
        Pages = [.. running.Definition.Pages.Where(page => Link is null ? IsCanvas || page.IsFor(roles) : page.Address == Link.Page)];
        if (address is not null && running.Definition.Find(address) is null)
        {
            return NotFound();
        }

        if (
            (
                address is null
                    ? Pages.FirstOrDefault(page => page.Address == running.Definition.Home) ?? Pages.FirstOrDefault(page => !page.Unlisted)
                    : Pages.FirstOrDefault(page => page.Address == address)
            )
            is not { } page
        )
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        Current = page;
        var grants =
            Link is not null ? Added(await person.GrantsAsync(cancellation), Link)
            : SeenAs is null ? await person.GrantsAsync(cancellation)
            : await viewAs.GrantsAsync(SeenAs, cancellation);
        var state = PageAddress.Read(page, Request.Query);
        Run = new PageRun(
            App,
            page,
            Path,
            IsCanvas ? await SampleRecord.AddedAsync(state, App, Pages, grants, gate, cancellation) : state,
            grants,
            gate,
            format
        )
        {
            Pages = Pages,
            Log = log,
            IsPublic = Link is not null,
            IsLive = !IsDraft && Link is null && SeenAs is null,
            Writing = IsDraft || SeenAs is not null ? await WritingAsync(grants, cancellation) : grants,
        };
        return null;
    }

    private async Task<IActionResult?> OpenTableAsync(Guid id, CancellationToken cancellation)
    {
        if (!await person.MayAsync(WorkspacePermissions.ManageSources, cancellation))
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        if (await tables.OpenAsync(id, cancellation) is not { } opened)
        {
            return NotFound();
        }

        Editing = opened.Table;
        App = opened.Table.AsApp();
        Pages = App.Definition.Pages;
        Current = Pages[0];
        Run = new PageRun(App, Current, Path, PageAddress.Read(Current, Request.Query), opened.Grants, gate, format)
        {
            Log = log,
            Editing = Editing,
        };
        return null;
    }

    // By a public link records are added at most.
    private static Grants Added(Grants grants, PublicLink link)
    {
        var most = Grant.Everything with { Verbs = link.AllowsForms ? Verbs.View | Verbs.Create : Verbs.View };
        return new Grants(grants.Rights.And(Rights.Everywhere(most)), grants.User);
    }

    // A draft, and whatever is seen through somebody else's eyes, is looked at with real records: nothing of them is changed before that is
    // allowed, and then in one's own name, and no more than both oneself may and whoever is looked at.
    private async Task<Grants> WritingAsync(Grants seen, CancellationToken cancellation)
    {
        var own = await person.GrantsAsync(cancellation);
        var readOnly = IsDraft
            ? AllowsChanges
                ? null
                : PreviewHandler.ReadOnly
            : await viewAs.AllowsChangesAsync(cancellation)
                ? null
                : ViewAs.ReadOnly;
        return new Grants(SeenAs is null ? own.Rights : own.Rights.And(seen.Rights), own.User) { ReadOnlyBecause = readOnly };
    }

    /// <summary>
    /// What the page needs before its panels are read: the records that its address names, and how the person has its tables.
    /// </summary>
    public async Task PrepareAsync(CancellationToken cancellation)
    {
        var records = Run.PrepareAsync(cancellation);
        if (
            !IsCanvas
            && person.Id is { } id
            && (HttpMethods.IsPost(Request.Method) || await person.HasOwnTablesAsync(App.Address, Current.Address, cancellation))
        )
        {
            Run.Personal = await store
                .PersonalTables.AsNoTracking()
                .Where(row => row.PersonId == id && row.App == App.Address && row.Page == Current.Address)
                .ToDictionaryAsync(row => row.Panel, row => row.View, cancellation);
        }

        if (!IsCanvas && person.Id is not null && Current.All.Any(panel => panel is TablePanel { Editable.IsEmpty: false }))
        {
            await HttpContext.RequestServices.GetRequiredService<UnsavedTables>().ReadAsync(this, cancellation);
            Run.LastChanges = HttpContext.RequestServices.GetRequiredService<RecordLogbook>().LastChangesAsync;
        }

        await records;
    }

    /// <summary>What is shown in its place, such as what is printed of it; the page itself where null.</summary>
    public ShownInstead? Instead { get; set; }

    /// <summary>The whole page.</summary>
    public async Task<IActionResult> WholeAsync(CancellationToken cancellation)
    {
        var reading = new PageReading(Run);
        if (Sheet is RecordFormView.Closed && Run.State.OpenTable is { } table)
        {
            Sheet = await new FormReader(Run).ReadAsync(table, cancellation);
        }

        using var late = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        var (way, panels) = Together(() =>
            (
                RecordWay.ReadAsync(Run, late.Token),
                Current.Panels.Select(panel => (panel, Run, reading.ReadAsync(panel, late.Token))).ToArray()
            )
        );
        Panels = await PageReading.InTimeAsync(panels, late);
        cancellation.ThrowIfCancellationRequested();
        Way = late.IsCancellationRequested && !way.IsCompletedSuccessfully ? null : await way;
        return Page();
    }

    /// <summary>The panels to be shown anew, and what else goes with them. Those within another that is shown go with it.</summary>
    public async Task<IActionResult> PartsAsync(IEnumerable<string> names, bool withSheet, CancellationToken cancellation)
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

        if (withSheet && Sheet is RecordFormView.Closed && Run.State.OpenTable is { } table)
        {
            Sheet = await new FormReader(Run).ReadAsync(table, cancellation);
        }

        Panels = [.. await Together(() => Task.WhenAll(shown.Select(panel => reading.ReadAsync(panel, cancellation))))];
        return Partial("/Live/_Parts.cshtml", new PageParts(this, Request.Target(), withSheet));
    }

    /// <summary>The page after a form was saved: what was changed is read anew wherever it is shown.</summary>
    public Task<IActionResult> AfterSaveAsync(Panel? asked, DatasetId? changed, RecordKey? marked, CancellationToken cancellation) =>
        AfterSaveAsync(asked, changed is { } dataset ? [dataset] : [], marked, cancellation);

    /// <summary>The page after records were saved: the record that is marked is of the first dataset.</summary>
    public async Task<IActionResult> AfterSaveAsync(
        Panel? asked,
        ImmutableArray<DatasetId> changed,
        RecordKey? marked,
        CancellationToken cancellation
    )
    {
        var state = asked is ListPanel list
            ? Run.State.With(list.Name, Run.State.List(list.Name).Closed(keepsSelection: !list.OpensRecords))
            : Run.State;
        (DatasetId, RecordKey)? mark = changed is [var of, ..] && marked is not null ? (of, marked) : null;
        return await NowAsync(state, changed, mark, asked is null ? [] : [asked.Name], cancellation);
    }

    /// <summary>The page in another state, after records of some datasets were changed.</summary>
    public async Task<IActionResult> NowAsync(
        PageState state,
        ImmutableArray<DatasetId> changed,
        (DatasetId Dataset, RecordKey Key)? marked,
        IEnumerable<string> also,
        CancellationToken cancellation
    )
    {
        var before = Run.State;
        Run = Run.At(state);
        Run.Marked = marked;
        await Run.PrepareAsync(cancellation);
        Sheet = new RecordFormView.Closed();
        if (!Request.IsPartial())
        {
            return await WholeAsync(cancellation);
        }

        Response.Headers["HX-Push-Url"] = Path + state.ToQuery();
        string[] panels =
        [
            .. changed.SelectMany(dataset => Run.Graph.Affected(dataset, App.Datasets)),
            .. Run.Graph.Affected(state.Changed(before)),
            .. state.ChangedPanels(before),
            .. also,
        ];
        return await PartsAsync(panels, true, cancellation);
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

/// <summary>What is shown in the place of a page.</summary>
/// <param name="Partial">The partial.</param>
/// <param name="Model">Its model.</param>
/// <param name="IsBare">No masthead stands above it.</param>
internal sealed record ShownInstead(string Partial, object Model, bool IsBare = false);

/// <summary>Parts of a page that take the place of what is shown.</summary>
/// <param name="Page">The page.</param>
/// <param name="Target">The element into which the first goes; the others go each to their own.</param>
/// <param name="WithSheet">The record's sheet is among them.</param>
internal sealed record PageParts(AppPageModel Page, string Target, bool WithSheet);
