using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Store;

namespace Rostrum.Web.People;

internal sealed class SignInModel(
    SignInManager<Person> signIn,
    UserManager<Person> people,
    RostrumStore store,
    TimeProvider time) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    [BindProperty]
    [Required(ErrorMessage = "Write your sign-in name.")]
    public string UserName { get; set; } = "";

    [BindProperty]
    [Required(ErrorMessage = "Write your password.")]
    [DataType(DataType.Password)]
    public string Password { get; set; } = "";

    public string? Refusal { get; private set; }

    public IActionResult OnGet() => User.Identity is { IsAuthenticated: true } ? Back() : Page();

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        if (!ModelState.IsValid)
        {
            return Page();
        }

        var person = await people.FindByNameAsync(UserName.Trim());
        var result = person is null
            ? Microsoft.AspNetCore.Identity.SignInResult.Failed
            : await signIn.PasswordSignInAsync(person, Password, isPersistent: true, lockoutOnFailure: true);
        store.SignInAttempts.Add(new SignInAttempt
        {
            PersonId = person?.Id,
            UserName = UserName.Trim() is { Length: > 100 } name ? name[..100] : UserName.Trim(),
            Outcome = result.Succeeded ? "signed in" : result.IsLockedOut ? "locked out" : "refused",
            RemoteAddress = HttpContext.Connection.RemoteIpAddress?.ToString(),
            At = time.GetUtcNow(),
        });
        await store.SaveChangesAsync(cancellation);
        if (result.Succeeded)
        {
            return Back();
        }

        Refusal = result.IsLockedOut
            ? "Too many wrong passwords. Wait five minutes, then try again."
            : "Name and password do not belong together. Check both and try again.";
        return Page();
    }

    public async Task<IActionResult> OnPostOutAsync()
    {
        await signIn.SignOutAsync();
        return RedirectToPage("/People/SignIn");
    }

    // What an address cannot hold as it is, is written as it can.
    private LocalRedirectResult Back() =>
        LocalRedirect(Url.IsLocalUrl(ReturnUrl) && Uri.TryCreate(new Uri("http://here"), ReturnUrl, out var address)
            ? address.PathAndQuery + address.Fragment
            : "/");
}
