using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People.Joining;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People.Directory;

/// <summary>Invitations: one, or as many as were pasted; sent again, and withdrawn.</summary>
internal sealed class InviteModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    Invitations invitations,
    MailSettings mail,
    CurrentPerson person,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    private const int MostAtOnce = 500;
    private const int LargestFile = 200_000;

    /// <summary>One invitation that was not accepted yet.</summary>
    public sealed record Row(Guid Id, string Email, string Name, string MadeAt, string By, string State);

    public Workspace Workspace { get; private set; } = null!;

    public string Lines { get; private set; } = "";

    public ImmutableHashSet<string> Roles { get; private set; } = [];

    public ImmutableHashSet<string> Groups { get; private set; } = [];

    public string? Problem { get; private set; }

    /// <summary>The links that were made just now.</summary>
    public ImmutableArray<(string Email, string Link)> Made { get; private set; } = [];

    public ImmutableArray<Row> Open { get; private set; } = [];

    public bool SendsMail => mail.Server is not null;

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        Workspace = await workspaces.GetAsync(HttpContext.RequestAborted);
        if (await next() is { Result: PageResult })
        {
            await ShowAsync(HttpContext.RequestAborted);
        }
    }

    public IActionResult OnGet() => Page();

    public async Task<IActionResult> OnPostAsync(string? lines, IFormFile? file, CancellationToken cancellation)
    {
        Lines = lines ?? "";
        if (file is { Length: > 0 })
        {
            if (file.Length > LargestFile)
            {
                Problem = "The file is larger than 200 KB. Nobody was invited.";
                return Page();
            }

            using var reader = new StreamReader(file.OpenReadStream());
            // What the columns are called is nobody's address.
            var rows = (await reader.ReadToEndAsync(cancellation)).ReplaceLineEndings("\n").Split('\n');
            Lines = string.Join('\n', [Lines.Trim(), .. rows.Where((row, at) => at > 0 || row.Contains('@', StringComparison.Ordinal))])
                .Trim();
        }

        Roles = [.. Request.Form["role"].OfType<string>().Where(role => Workspace.Roles.Any(known => known.Name == role))];
        Groups = [.. Request.Form["group"].OfType<string>().Where(group => Workspace.Groups.Any(known => known.Name == group))];
        var wanted = MailAddress.Lines(Lines).DistinctBy(line => line.Email, StringComparer.OrdinalIgnoreCase).ToArray();
        Problem = await ProblemAsync(wanted, cancellation);
        if (Problem is not null)
        {
            return Page();
        }

        var by = await InviterAsync(cancellation);
        Made = [.. wanted.Select(line => (line.Email, invitations.Add(line.Email, line.Name, Roles, Groups, by)))];
        await store.SaveChangesAsync(cancellation);
        Lines = "";
        return Page();
    }

    public async Task<IActionResult> OnPostAgainAsync(Guid id, CancellationToken cancellation)
    {
        if (await store.Invitations.FirstOrDefaultAsync(row => row.Id == id && row.AcceptedAt == null, cancellation) is { } invitation)
        {
            Made = [(invitation.Email, invitations.Renew(invitation, await InviterAsync(cancellation)))];
            await store.SaveChangesAsync(cancellation);
        }

        return Page();
    }

    public async Task<IActionResult> OnPostWithdrawAsync(Guid id, CancellationToken cancellation)
    {
        await store.SaveOnNewestAsync(
            async () =>
                store.Invitations.RemoveRange(
                    await store.Invitations.Where(row => row.Id == id && row.AcceptedAt == null).ToListAsync(cancellation)
                ),
            cancellation
        );
        TempData["note"] = "The invitation is withdrawn. Its link is not valid any more.";
        return Redirect("/people/invitations");
    }

    private async Task<string?> ProblemAsync((string Email, string? Name)[] wanted, CancellationToken cancellation)
    {
        if (wanted.Length is 0 or > MostAtOnce)
        {
            return wanted.Length == 0 ? "Write at least one mail address." : $"Invite at most {MostAtOnce} people at once.";
        }

        if (Array.Find(wanted, line => !MailAddress.IsOne(line.Email)) is { Email: not null } wrong)
        {
            return $"“{wrong.Email}” is no mail address. Nobody was invited.";
        }

        var known = wanted.Select(line => line.Email.ToUpperInvariant()).ToArray();
        if (await store.Users.FirstOrDefaultAsync(row => known.Contains(row.NormalizedEmail), cancellation) is { } there)
        {
            return $"{there.Name} ({there.Email}) has joined already. Nobody was invited.";
        }

        var open = await store.Invitations.Where(row => row.AcceptedAt == null).Select(row => row.Email).ToListAsync(cancellation);
        return open.Find(email => wanted.Any(line => line.Email.Equals(email, StringComparison.OrdinalIgnoreCase))) is { } awaited
            ? $"{awaited} is invited already: send that again, or withdraw it. Nobody was invited."
            : null;
    }

    private async Task<Inviter> InviterAsync(CancellationToken cancellation) =>
        new(person.Id!.Value, await person.NameAsync(cancellation), mail.LinksOf(Request));

    private async Task ShowAsync(CancellationToken cancellation)
    {
        var rows = await store
            .Invitations.AsNoTracking()
            .Where(row => row.AcceptedAt == null && row.Email != "")
            .OrderByDescending(row => row.MadeAt)
            .Take(MostAtOnce)
            .ToListAsync(cancellation);
        var addresses = rows.Select(row => row.Email).ToArray();
        var failing = await store
            .OutgoingMails.AsNoTracking()
            .Where(sent => sent.SentAt == null && sent.Problem != null && addresses.Contains(sent.Address))
            .GroupBy(sent => sent.Address)
            .Select(sent => new { Address = sent.Key, Problem = sent.Max(one => one.Problem) })
            .ToDictionaryAsync(sent => sent.Address, sent => sent.Problem, cancellation);
        var now = time.GetUtcNow();
        Open =
        [
            .. rows.Select(row => new Row(
                row.Id,
                row.Email,
                row.Name ?? "",
                format.Display(new FieldType.Instant(), row.MadeAt),
                Workspace.People.GetValueOrDefault(row.MadeBy)?.Name ?? "",
                row.Ends <= now ? "expired"
                    : failing.TryGetValue(row.Email, out var why) ? $"mail not sent yet: {why}"
                    : $"valid until {format.Display(new FieldType.Instant(), row.Ends)}"
            )),
        ];
    }
}
