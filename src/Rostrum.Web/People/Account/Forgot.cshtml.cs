using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People.Account;

/// <summary>Sends a link to set a new password. The answer is the same, and takes as long, whether anybody has the address.</summary>
internal sealed class ForgotModel(PasswordLinks links, MailSettings mail) : PageModel
{
    private static readonly TimeSpan Answer = TimeSpan.FromMilliseconds(400);

    public bool IsAsked { get; private set; }

    public IActionResult OnGet() => mail is { Server: not null, Address: not null } ? Page() : NotFound();

    public async Task<IActionResult> OnPostAsync(string? email, CancellationToken cancellation)
    {
        if (mail is not { Server: not null, Address: { } address })
        {
            return NotFound();
        }

        await Task.WhenAll(links.SendAsync(email?.Trim() ?? "", address, cancellation), Task.Delay(Answer, cancellation));
        IsAsked = true;
        return Page();
    }
}
