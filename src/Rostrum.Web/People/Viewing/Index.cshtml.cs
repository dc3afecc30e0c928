using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Rostrum.Web.People.Viewing;

/// <summary>Chooses through whose eyes one looks at the apps.</summary>
internal sealed class IndexModel(ViewAs viewAs) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    public ImmutableArray<Onlooker> Offers { get; private set; } = [];

    /// <summary>Through whose eyes one looks already.</summary>
    public Onlooker? Seen { get; private set; }

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        if (!await viewAs.MayAsync(HttpContext.RequestAborted))
        {
            context.Result = StatusCode(StatusCodes.Status403Forbidden);
            return;
        }

        await next();
    }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        Q = Q?.Trim() ?? "";
        Offers = await viewAs.OffersAsync(Q, roles: null, cancellation);
        Seen = await viewAs.SeenAsync(cancellation);
    }

    public async Task<IActionResult> OnPostAsync(string? who, CancellationToken cancellation)
    {
        if (string.IsNullOrEmpty(who))
        {
            viewAs.End();
        }
        else if (!await viewAs.BeginAsync(who, cancellation))
        {
            return NotFound();
        }

        return Back();
    }

    public async Task<IActionResult> OnPostChangesAsync(string? allow, CancellationToken cancellation)
    {
        await viewAs.AllowAsync(allow == "yes", cancellation);
        return Back();
    }

    private LocalRedirectResult Back() => LocalRedirect(ReturnAddress.Of(Url, ReturnUrl));
}
