using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People;
using Rostrum.Web.People.Mail;
using Rostrum.Web.Security;

namespace Rostrum.Web.Build.Apps.PublicLinks;

/// <summary>The public links to an app's pages: made, and withdrawn.</summary>
internal sealed class IndexModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    PublishedApps apps,
    CurrentPerson person,
    MailSettings mail,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    /// <summary>One link, as the list shows it.</summary>
    public sealed record Row(Guid Id, string Page, string Role, bool AllowsForms, string MadeAt, string By, string Ends);

    public AppDefinition App { get; private set; } = null!;

    public string Address { get; private set; } = "";

    /// <summary>Roles that may do nothing in the workspace: a link has the rights of one.</summary>
    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    public ImmutableArray<Row> Rows { get; private set; } = [];

    public bool MaySet { get; private set; }

    public string ShownPage { get; private set; } = "";

    public string Role { get; private set; } = "";

    public string Ends { get; private set; } = "";

    public bool AllowsForms { get; private set; }

    public string? Problem { get; private set; }

    /// <summary>The link that was made just now: it is shown this once.</summary>
    public string? Made { get; private set; }

    private string Here => $"/build/apps/{Address}/public";

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var cancellation = HttpContext.RequestAborted;
        Address = RouteData.Values["address"] as string ?? "";
        if (await apps.LiveAsync(Address, cancellation) is not { } live)
        {
            context.Result = NotFound();
            return;
        }

        App = live.Definition;
        var workspace = await workspaces.GetAsync(cancellation);
        Roles = [.. workspace.Roles.Where(role => role.Permissions is WorkspacePermissions.None)];
        MaySet = await person.MayAsync(WorkspacePermissions.ManageRights, cancellation);
        Ends = format.Display(new FieldType.Date(), DateOnly.FromDateTime(time.GetUtcNow().AddDays(30).UtcDateTime));
        if (await next() is { Result: PageResult })
        {
            await ShowAsync(workspace, cancellation);
        }
    }

    public IActionResult OnGet() => Page();

    public async Task<IActionResult> OnPostAsync(string? page, string? role, string? ends, bool? forms, CancellationToken cancellation)
    {
        if (!MaySet)
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        (ShownPage, Role, Ends, AllowsForms) = (page ?? "", role ?? "", ends?.Trim() ?? "", forms is true);
        var until = FieldText.FromForm(new FieldType.Instant(), Ends, format);
        Problem =
            App.Find(ShownPage) is null ? "Choose a page."
            : Roles.All(known => known.Name != Role) ? "Choose a role."
            : until is Parsed.Problem wrong ? wrong.Message
            : until is Parsed.Value { Is: DateTimeOffset at } && at <= time.GetUtcNow() ? "Choose a day that is still to come."
            : null;
        if (Problem is not null)
        {
            return Page();
        }

        var (token, digest) = LinkToken.Make();
        store.PublicLinks.Add(
            new PublicLink
            {
                Id = Guid.NewGuid(),
                App = Address,
                Page = ShownPage,
                Role = Role,
                AllowsForms = AllowsForms,
                Digest = digest,
                MadeAt = time.GetUtcNow(),
                MadeBy = person.Id!.Value,
                Ends = until is Parsed.Value { Is: DateTimeOffset end } ? end : null,
            }
        );
        await store.SaveChangesAsync(cancellation);
        Made = $"{mail.LinksOf(Request)}{Live.Public.PublicLinks.Root}/{token}";
        return Page();
    }

    public async Task<IActionResult> OnPostWithdrawAsync(Guid id, CancellationToken cancellation)
    {
        if (!MaySet)
        {
            return StatusCode(StatusCodes.Status403Forbidden);
        }

        await store.SaveOnNewestAsync(
            async () =>
                store.PublicLinks.RemoveRange(
                    await store.PublicLinks.Where(link => link.Id == id && link.App == Address).ToListAsync(cancellation)
                ),
            cancellation
        );
        TempData["note"] = "The link is withdrawn: whoever opens it finds nothing.";
        return Redirect(Here);
    }

    private async Task ShowAsync(Workspace workspace, CancellationToken cancellation)
    {
        var now = time.GetUtcNow();
        string Shown(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);
        Rows =
        [
            .. (
                await store
                    .PublicLinks.AsNoTracking()
                    .Where(link => link.App == Address)
                    .OrderByDescending(link => link.MadeAt)
                    .ToListAsync(cancellation)
            ).Select(link => new Row(
                link.Id,
                App.Find(link.Page)?.Name ?? $"{link.Page}, which is gone",
                workspace.Roles.FirstOrDefault(role => role.Name == link.Role)?.Label ?? $"{link.Role}, which is gone",
                link.AllowsForms,
                Shown(link.MadeAt),
                workspace.People.GetValueOrDefault(link.MadeBy)?.Name ?? "",
                link.Ends is not { } ends ? "when withdrawn"
                    : ends <= now ? $"ended {Shown(ends)}"
                    : Shown(ends)
            )),
        ];
    }
}
