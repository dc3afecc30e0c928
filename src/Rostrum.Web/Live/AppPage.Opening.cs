using Microsoft.AspNetCore.Mvc;
using Rostrum.Core.Access;
using Rostrum.Core.Workflows;
using Rostrum.Store;
using Rostrum.Web.Live.Public;
using Rostrum.Web.People.Viewing;

namespace Rostrum.Web.Live;

/// <content>Opens the page: which one it is, who looks at it, and with which rights.</content>
internal sealed partial class AppPageModel
{
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
}
