using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Live;
using Rostrum.Web.People.Account;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People.Directory;

/// <summary>One person: who they are, what they may do and why, where they are signed in.</summary>
internal sealed class OnePersonModel(
    RostrumStore store,
    UserManager<Person> people,
    WorkspaceCache workspaces,
    PublishedApps apps,
    OpenSessions sessions,
    PasswordLinks links,
    SecondFactor secondFactor,
    AccountNotices notices,
    MailSettings mail,
    AccessEffects effects,
    AttributeForm attributes,
    RecordFormat format,
    TimeProvider time
) : PageModel
{
    /// <summary>What the person may do with one dataset.</summary>
    public sealed record Right(Dataset Dataset, Guid Source, string Verbs, string By, ImmutableArray<string> Limits);

    public Person Person { get; private set; } = null!;

    public Workspace Workspace { get; private set; } = null!;

    public string Name { get; private set; } = "";

    public string Email { get; private set; } = "";

    public ImmutableArray<AttributeRow> Attributes { get; private set; } = [];

    public ImmutableHashSet<string> OwnRoles { get; private set; } = [];

    public ImmutableHashSet<string> InGroups { get; private set; } = [];

    public ImmutableArray<Right> Rights { get; private set; } = [];

    /// <summary>The pages that are open to the person, app by app.</summary>
    public string Pages { get; private set; } = "";

    public IReadOnlyCollection<SessionRow> Sessions { get; private set; } = [];

    public string? LastSignIn { get; private set; }

    public string? Problem { get; private set; }

    /// <summary>Who gains and loses what by what is about to be saved; null where that was not asked yet, or nothing changes.</summary>
    public Consequences? Consequences { get; private set; }

    private string Here => $"/people/{Person.Id:N}";

    /// <summary>The groups by which the person has a role.</summary>
    public string GroupsGiving(string role) =>
        string.Join(
            ", ",
            Workspace.Groups.Where(group => InGroups.Contains(group.Name) && group.Roles.Contains(role)).Select(group => group.Label)
        );

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var cancellation = HttpContext.RequestAborted;
        if (
            !Guid.TryParse(RouteData.Values["id"] as string, out var id)
            || await people.FindByIdAsync(id.ToString()) is not { } person
            || !(Workspace = await workspaces.GetAsync(cancellation)).People.TryGetValue(id, out var entry)
        )
        {
            context.Result = NotFound();
            return;
        }

        (Person, Name, Email) = (person, person.Name, person.Email ?? "");
        (OwnRoles, InGroups) = ([.. entry.OwnRoles], [.. entry.Groups]);
        if (await next() is { Result: PageResult })
        {
            await ShowAsync(entry, cancellation);
        }
    }

    public IActionResult OnGet() => Page();

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        var form = Request.Form;
        (Name, Email) = (form["name"].ToString().Trim(), form["email"].ToString().Trim());
        OwnRoles = [.. form["role"].OfType<string>().Where(role => Workspace.Roles.Any(known => known.Name == role))];
        InGroups = [.. form["group"].OfType<string>().Where(group => Workspace.Groups.Any(known => known.Name == group))];
        (Attributes, var kept, Problem) = await attributes.ReadAsync(
            await attributes.RowsAsync(Person, ownOnly: false, cancellation),
            form,
            cancellation
        );
        Problem ??=
            Name.Length == 0 ? "Write the name."
            : Email.Length > 0 && !Joining.MailAddress.IsOne(Email) ? $"“{Email}” is no mail address."
            : Email.Length > 0 && await people.FindByEmailAsync(Email) is { } other && other.Id != Person.Id
                ? $"{other.Name} has this mail address already."
            : null;
        var roles = Effective();
        Problem ??= Owners.Problem(Workspace, Person.Id, isActive: Person.DeactivatedAt is null, roles);
        if (Problem is not null)
        {
            return Page();
        }

        var after = Workspace.People[Person.Id].AsUser with
        {
            Roles = [.. roles.Order(StringComparer.Ordinal)],
            Groups = [.. InGroups],
            Attributes = Workspace.WithValues(kept),
        };
        Consequences = await Consequences.ToShowAsync(
            Request.Form,
            [.. after.Roles, "", .. InGroups.Order(StringComparer.Ordinal), "", .. Attributes.Select(attribute => attribute.Text)],
            () => effects.OfPersonAsync(Workspace, Person.Id, after, cancellation)
        );
        if (Consequences is not null)
        {
            return Page();
        }

        await SaveAsync(kept, cancellation);
        TempData["note"] = "Saved. It holds from now on, in every app.";
        return Redirect(Here);
    }

    public async Task<IActionResult> OnPostDeactivateAsync(CancellationToken cancellation)
    {
        if (Owners.Problem(Workspace, Person.Id, isActive: false, Workspace.RolesOf(Person.Id)) is { } problem)
        {
            Problem = problem;
            return Page();
        }

        Person.DeactivatedAt = time.GetUtcNow();
        await people.UpdateSecurityStampAsync(Person);
        await sessions.EndAllAsync(Person.Id, but: null, cancellation);
        TempData["note"] = $"{Person.Name} can no longer sign in. All sessions have ended.";
        return Redirect(Here);
    }

    public async Task<IActionResult> OnPostReactivateAsync()
    {
        Person.DeactivatedAt = null;
        await people.UpdateAsync(Person);
        TempData["note"] = $"{Person.Name} can sign in again.";
        return Redirect(Here);
    }

    public async Task<IActionResult> OnPostLinkAsync()
    {
        TempData["link"] = await links.LinkAsync(Person, mail.LinksOf(Request));
        return Redirect(Here);
    }

    public async Task<IActionResult> OnPostFactorAsync(CancellationToken cancellation)
    {
        await secondFactor.TurnOffAsync(Person);
        await notices.TellAsync(Person, "An owner turned the second factor off.", cancellation);
        TempData["note"] = "The second factor is off.";
        return Redirect(Here);
    }

    public async Task<IActionResult> OnPostEndAsync(Guid session, CancellationToken cancellation)
    {
        if (await store.SignInSessions.AsNoTracking().AnyAsync(row => row.Id == session && row.PersonId == Person.Id, cancellation))
        {
            await sessions.EndAsync(session, cancellation);
        }

        return Redirect($"{Here}#sessions");
    }

    public async Task<IActionResult> OnPostEndAllAsync(CancellationToken cancellation)
    {
        await sessions.EndAllAsync(Person.Id, User.SessionId(), cancellation);
        return Redirect($"{Here}#sessions");
    }

    private HashSet<string> Effective() =>
        [.. OwnRoles, .. Workspace.Groups.Where(group => InGroups.Contains(group.Name)).SelectMany(group => group.Roles)];

    private async Task SaveAsync(ImmutableDictionary<string, string> kept, CancellationToken cancellation)
    {
        await store.SaveOnNewestAsync(
            async () =>
            {
                var person = await store.Users.SingleAsync(row => row.Id == Person.Id, cancellation);
                (person.Name, person.Email) = (Name, Email.Length == 0 ? null : Email);
                person.NormalizedEmail = people.NormalizeEmail(person.Email);
                person.Attributes = kept;
                await Joining.Memberships.SetAsync(store, person.Id, OwnRoles, InGroups, cancellation);
            },
            cancellation
        );
    }

    private async Task ShowAsync(PersonEntry entry, CancellationToken cancellation)
    {
        Attributes = Attributes.IsEmpty ? await attributes.RowsAsync(Person, ownOnly: false, cancellation) : Attributes;
        var now = time.GetUtcNow();
        Sessions = await SessionRow.OfAsync(store, Person.Id, User.SessionId(), format, now, cancellation);
        var last = await store
            .SignInAttempts.AsNoTracking()
            .Where(attempt => attempt.PersonId == Person.Id && attempt.Outcome == SignInAttempt.SignedIn)
            .MaxAsync(attempt => (DateTimeOffset?)attempt.At, cancellation);
        LastSignIn = last is { } at ? format.Display(new FieldType.Instant(), at) : null;
        Rights = [.. RightsOf(entry)];
        var pages = new List<string>();
        foreach (var app in Workspace.Apps)
        {
            var open = (await apps.LiveAsync(app.Address, cancellation))
                ?.Definition.Pages.Where(page => !page.Unlisted && page.Audience.Any(entry.Roles.Contains))
                .Select(page => page.Name)
                .ToArray();
            if (open is { Length: > 0 })
            {
                pages.Add($"{app.Name} ({string.Join(", ", open)})");
            }
        }

        Pages = string.Join(" · ", pages);
    }

    private IEnumerable<Right> RightsOf(PersonEntry entry)
    {
        var labels = Workspace.Roles.ToDictionary(role => role.Name, role => role.Label);
        return from policy in Workspace.Policies
            where entry.Roles.Contains(policy.Role) && policy.Verbs is not Verbs.None
            group policy by policy.Dataset into ofDataset
            let dataset = Workspace.Datasets.Find(ofDataset.Key)
            where dataset is not null
            orderby dataset.Label
            select new Right(
                dataset,
                dataset.Source.Value,
                string.Join(", ", RightWords.Of(dataset, ofDataset.Aggregate(Verbs.None, (all, policy) => all | policy.Verbs))),
                string.Join(", ", ofDataset.Select(policy => labels.GetValueOrDefault(policy.Role, policy.Role)).Distinct()),
                [
                    .. ofDataset
                        .SelectMany(policy =>
                            RightWords.Limits(policy).Select(limit => $"{labels.GetValueOrDefault(policy.Role, policy.Role)}: {limit}")
                        )
                        .Distinct(),
                ]
            );
    }
}
