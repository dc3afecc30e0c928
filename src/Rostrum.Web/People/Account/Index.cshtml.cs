using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People.Account;

/// <summary>What everybody looks after themselves: password, second factor, sessions.</summary>
internal sealed class IndexModel(
    UserManager<Person> people,
    SecondFactor secondFactor,
    SigningIn signingIn,
    OpenSessions sessions,
    RostrumStore store,
    CurrentPerson current,
    PasswordCheck passwords,
    AttributeForm attributes,
    Passkeys passkeys,
    AccountNotices notices,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    public Person Person { get; private set; } = null!;

    public IReadOnlyCollection<SessionRow> Sessions { get; private set; } = [];

    /// <summary>A role of the person's asks for a second factor, and there is none.</summary>
    public bool MustTurnOn { get; private set; }

    public string Key { get; private set; } = "";

    public string Picture { get; private set; } = "";

    public int CodesLeft { get; private set; }

    public string[]? RecoveryCodes { get; private set; }

    public string? CodeProblem { get; private set; }

    public ImmutableArray<string> PasswordProblems { get; private set; } = [];

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        if (await people.GetUserAsync(User) is not { } person)
        {
            context.Result = NotFound();
            return;
        }

        Person = person;
        if (await next() is { Result: PageResult })
        {
            Attributes = Attributes.IsEmpty ? await attributes.RowsAsync(person, ownOnly: true, HttpContext.RequestAborted) : Attributes;
            Passkeys = await passkeys.OfAsync(person);
            await ShowAsync(HttpContext.RequestAborted);
        }
    }

    /// <summary>What people say of themselves.</summary>
    public ImmutableArray<AttributeRow> Attributes { get; private set; } = [];

    public string? AttributeProblem { get; private set; }

    public IActionResult OnGet() => Page();

    /// <summary>Works in one role alone from now on, or with all again.</summary>
    public async Task<IActionResult> OnPostRoleAsync(string? role, string? returnUrl, CancellationToken cancellation)
    {
        var offered = await current.RolesToChooseAsync(cancellation);
        Person.WorksAs = offered.FirstOrDefault(known => known.Name == role)?.Name;
        await people.UpdateAsync(Person);
        return LocalRedirect(ReturnAddress.Of(Url, returnUrl));
    }

    public async Task<IActionResult> OnPostDetailsAsync(CancellationToken cancellation)
    {
        (Attributes, var kept, AttributeProblem) = await attributes.ReadAsync(
            await attributes.RowsAsync(Person, ownOnly: true, cancellation),
            Request.Form,
            cancellation
        );
        if (AttributeProblem is not null)
        {
            return Page();
        }

        Person.Attributes = Person.Attributes.RemoveRange(Attributes.Select(row => row.Name)).AddRange(kept);
        await people.UpdateAsync(Person);
        TempData["note"] = "Saved.";
        return Redirect("/account");
    }

    /// <summary>The time zones that there are, by their names of the IANA's.</summary>
    public static ImmutableArray<string> Zones { get; } =
    [
        .. TimeZoneInfo
            .GetSystemTimeZones()
            .Select(zone => zone.Id)
            .Where(id => id is "UTC" || id.Contains('/'))
            .Order(StringComparer.Ordinal),
    ];

    public string WorkspaceZone => format.Zone.Id;

    public string TypedZone
    {
        get => field ?? Person.Zone ?? "";
        private set;
    }

    public string? ZoneProblem { get; private set; }

    public async Task<IActionResult> OnPostZoneAsync(string? zone)
    {
        TypedZone = zone?.Trim() ?? "";
        if (TypedZone.Length > 0 && !Zones.Contains(TypedZone))
        {
            ZoneProblem = "There is no time zone of that name. It is written as Europe/Oslo is.";
            return Page();
        }

        Person.Zone = TypedZone.Length == 0 ? null : TypedZone;
        await people.UpdateAsync(Person);
        TempData["note"] = "Saved.";
        return Redirect("/account");
    }

    public ImmutableArray<PasskeyRow> Passkeys { get; private set; } = [];

    public string? PasskeyProblem { get; private set; }

    /// <summary>What the browser is asked for, to make a passkey.</summary>
    public async Task<IActionResult> OnPostPasskeyOptionsAsync() => Content(await passkeys.MakingAsync(Person), "application/json");

    public async Task<IActionResult> OnPostPasskeyAsync(string? credential, string? name, CancellationToken cancellation)
    {
        PasskeyProblem = await passkeys.AddAsync(Person, credential ?? "", name ?? "");
        if (PasskeyProblem is not null)
        {
            return Page();
        }

        await notices.TellAsync(Person, "A passkey was added.", cancellation);
        TempData["note"] = "The passkey is added: sign in with it from now on.";
        return Redirect("/account#passkeys");
    }

    public async Task<IActionResult> OnPostRemovePasskeyAsync(string id, CancellationToken cancellation)
    {
        await passkeys.RemoveAsync(Person, id);
        await notices.TellAsync(Person, "A passkey was removed.", cancellation);
        TempData["note"] = "The passkey is removed: it lets nobody in any more.";
        return Redirect("/account#passkeys");
    }

    public async Task<IActionResult> OnPostOnAsync(string? code, CancellationToken cancellation)
    {
        RecoveryCodes = await secondFactor.TurnOnAsync(Person, code ?? "");
        if (RecoveryCodes is null)
        {
            CodeProblem = "This code is not right. Wait for the next one, and check the time of your telephone.";
        }
        else
        {
            await notices.TellAsync(Person, "A second factor was turned on.", cancellation);
            await signingIn.SignInAsync(Person, stay: false, cancellation);
        }

        return Page();
    }

    public async Task<IActionResult> OnPostOffAsync(string? password, CancellationToken cancellation)
    {
        if (await IsOwnAsync(password, cancellation) is { } problem)
        {
            TempData["note"] = problem;
            return Redirect("/account");
        }

        await secondFactor.TurnOffAsync(Person);
        await signingIn.SignInAsync(Person, stay: false, cancellation);
        await notices.TellAsync(Person, "The second factor was turned off.", cancellation);
        TempData["note"] = "The second factor is off.";
        return Redirect("/account");
    }

    public async Task<IActionResult> OnPostPasswordAsync(string? current, string? newPassword, CancellationToken cancellation)
    {
        if (await IsOwnAsync(current, cancellation) is { } problem)
        {
            PasswordProblems = [problem];
            return Page();
        }

        var changed = await people.ChangePasswordAsync(Person, current!, newPassword ?? "");
        if (!changed.Succeeded)
        {
            PasswordProblems = [.. changed.Errors.Select(error => error.Description)];
            return Page();
        }

        // The stamp has changed, and with it every session has ended.
        await sessions.EndAllAsync(Person.Id, but: null, cancellation);
        await signingIn.SignInAsync(Person, stay: false, cancellation);
        await notices.TellAsync(Person, "Your password was changed.", cancellation);
        TempData["note"] = "The password is changed. Your other sessions have ended.";
        return Redirect("/account");
    }

    public async Task<IActionResult> OnPostEndAsync(Guid session, CancellationToken cancellation)
    {
        if ((await SessionsAsync(cancellation)).Any(row => row.Id == session))
        {
            await sessions.EndAsync(session, cancellation);
        }

        return Redirect("/account#sessions");
    }

    public async Task<IActionResult> OnPostEndAllAsync(CancellationToken cancellation)
    {
        await sessions.EndAllAsync(Person.Id, User.SessionId(), cancellation);
        return Redirect("/account#sessions");
    }

    // Guesses are slowed here as they are at the sign-in.
    private async Task<string?> IsOwnAsync(string? password, CancellationToken cancellation)
    {
        var address = HttpContext.Connection.RemoteIpAddress?.ToString();
        var (found, wait) = await passwords.CheckAsync(Person.UserName!, password ?? "", address, cancellation);
        return found is not null ? null
            : wait > TimeSpan.Zero ? $"Too many attempts. Wait {SignInPauses.Said(wait)}, then try again."
            : "The current password is not right.";
    }

    private Task<SessionRow[]> SessionsAsync(CancellationToken cancellation) =>
        SessionRow.OfAsync(store, Person.Id, User.SessionId(), format, time.GetUtcNow(), cancellation);

    private async Task ShowAsync(CancellationToken cancellation)
    {
        Sessions = await SessionsAsync(cancellation);
        MustTurnOn = RecoveryCodes is null && await current.LacksSecondFactorAsync(cancellation);
        if (Person.TwoFactorEnabled)
        {
            CodesLeft = await people.CountRecoveryCodesAsync(Person);
            return;
        }

        Key = await secondFactor.KeyAsync(Person);
        Picture = SecondFactor.Picture(Person, Key);
    }
}
