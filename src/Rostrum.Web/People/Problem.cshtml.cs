using System.Diagnostics;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People;

/// <summary>What people see where there is no page for them.</summary>
[IgnoreAntiforgeryToken]
internal sealed class ProblemModel(CurrentPerson person, MailSettings mail) : PageModel
{
    public int Code { get; private set; }

    public string Heading =>
        Code switch
        {
            400 => "This page is out of date",
            403 => "This is not open to you",
            404 => "There is nothing here",
            410 => "This link is no longer valid",
            429 => "Too much at once",
            _ => "Something went wrong",
        };

    public string Explanation =>
        Code switch
        {
            400 => "The form was opened too long ago, or in another session. Go back, reload the page and try again.",
            403 => "Your roles do not include it. If you need it for your work, ask an owner of this workspace.",
            410 => "It was withdrawn, or its time is over. Ask whoever gave it to you for another.",
            429 => "Wait a minute, then try again. What you typed is still there when you go back.",
            404 => "The page or record was renamed or removed, or the address is misspelt.",
            _ => "It is not your doing, and it has been written down. Try again; if it happens again, give an owner this number:",
        };

    public string? Number => Code >= 500 ? Activity.Current?.TraceId.ToString() ?? HttpContext.TraceIdentifier : null;

    /// <summary>Where an owner reads why this is not open to the person; null where there is nothing to be explained.</summary>
    public string? ExplainedAt =>
        Code == 403 && person.Id is { } id && HttpContext.Features.Get<IStatusCodeReExecuteFeature>()?.OriginalPath is { } path
            ? $"{mail.LinksOf(Request)}/people/explain?person={id:N}&path={Uri.EscapeDataString(path)}"
            : null;

    public void OnGet(int code) => Code = code;

    public void OnPost(int code) => Code = code;
}
