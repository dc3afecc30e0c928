using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Panels;
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
using Page = Rostrum.Core.Apps.Page;

namespace Rostrum.Web.Live;

/// <summary>
/// A page of an app: of its live version below <c>/apps</c>, of its draft below <c>/try</c>, and within Build below <c>/canvas</c>; or an
/// own table that is filled and altered, below <c>/build/tables</c>.
/// </summary>
internal sealed partial class AppPageModel(
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
