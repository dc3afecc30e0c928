using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Together;

/// <summary>Ends the mails about what somebody watches, by the link in one of them.</summary>
/// <remarks>
/// Mail programs send the same by themselves (RFC 8058), without this page's token: the link itself says that its holder may. Looking at
/// the page ends nothing, as programs look at links as well.
/// </remarks>
[AllowAnonymous]
[IgnoreAntiforgeryToken]
internal sealed class UnsubscribeModel(RostrumStore store, Unsubscribing unsubscribing) : PageModel
{
    /// <summary>The mails have ended.</summary>
    public bool IsDone { get; private set; }

    public async Task<IActionResult> OnGetAsync(string token, CancellationToken cancellation) =>
        await FindAsync(token, cancellation) is null ? NotFound() : Page();

    public async Task<IActionResult> OnPostAsync(string token, CancellationToken cancellation)
    {
        if (await FindAsync(token, cancellation) is not { } person)
        {
            return NotFound();
        }

        person.WatchMail = WatchMail.Never;
        await store.SaveChangesAsync(cancellation);
        IsDone = true;
        return Page();
    }

    private async Task<Person?> FindAsync(string token, CancellationToken cancellation) =>
        unsubscribing.PersonOf(token) is { } id ? await store.Users.FirstOrDefaultAsync(person => person.Id == id, cancellation) : null;
}
