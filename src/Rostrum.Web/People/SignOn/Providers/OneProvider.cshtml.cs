using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access.SignIn;
using Rostrum.Store;
using Rostrum.Web.People.Mail;

namespace Rostrum.Web.People.SignOn.Providers;

/// <summary>A service by which people sign in: how it is reached, who comes in, and what its claims give.</summary>
internal sealed class OneProviderModel(
    RostrumStore store,
    WorkspaceCache workspaces,
    ProviderSecrets secrets,
    ProviderCheck check,
    MailSettings mail
) : PageModel
{
    private const int EmptyRules = 2;

    public SignInProvider Provider { get; private set; } = null!;

    public Workspace Workspace { get; private set; } = null!;

    public ImmutableArray<(string Name, string Label)> Attributes { get; private set; } = [];

    /// <summary>The rules, with some empty ones to be filled in.</summary>
    public ImmutableArray<ClaimRule> Rules { get; private set; } = [];

    public bool HasSecret { get; private set; }

    /// <summary>What is wrong with what was typed; or what the service answered.</summary>
    public string? Problem { get; private set; }

    public string? Answer { get; private set; }

    /// <summary>The claims on which the rules are tried.</summary>
    public string Claims { get; private set; } = "";

    /// <summary>What the rules give for them; null where they were not tried.</summary>
    public ImmutableArray<string>? Given { get; private set; }

    /// <summary>Where an OpenID provider sends people back to.</summary>
    public string BackAddress => mail.LinksOf(Request) + OpenIdSchemes.AnswerAddress(Provider.Name);

    private string Here => $"/people/sign-in/{Provider.Name}";

    public override async Task OnPageHandlerExecutionAsync(PageHandlerExecutingContext context, PageHandlerExecutionDelegate next)
    {
        var cancellation = HttpContext.RequestAborted;
        var name = RouteData.Values["name"] as string;
        if (await store.SignInProviders.FirstOrDefaultAsync(row => row.Name == name, cancellation) is not { } provider)
        {
            context.Result = NotFound();
            return;
        }

        (Provider, Workspace) = (provider, await workspaces.GetAsync(cancellation));
        Attributes =
        [
            .. (await store.Attributes.AsNoTracking().OrderBy(row => row.Label).ToListAsync(cancellation)).Select(row =>
                (row.Name, row.Label)
            ),
        ];
        HasSecret = secrets.Unprotect(provider.ProtectedSecret).Length > 0;
        Rules = Padded(provider.Rules);
        await next();
    }

    public void OnGet()
    {
        if (TempData[WithModel.ClaimsKept] is string claims)
        {
            Claims = claims;
            Try();
        }
    }

    public async Task<IActionResult> OnPostAsync(CancellationToken cancellation)
    {
        Take();
        if (Problem is not null)
        {
            return Page();
        }

        Provider.Revision++;
        try
        {
            await store.SaveChangesAsync(cancellation);
        }
        catch (DbUpdateConcurrencyException)
        {
            Problem = "Somebody else has just saved this. Open it again, and make your changes once more.";
            return Page();
        }

        TempData["note"] = Provider.IsOn ? "Saved. People can sign in by it from now on." : "Saved. It is off: nobody is offered it.";
        return Redirect(Here);
    }

    /// <summary>Asks the service with what stands in the form, and saves nothing.</summary>
    public async Task<IActionResult> OnPostCheckAsync(CancellationToken cancellation)
    {
        Take();
        if (Problem is null)
        {
            (Answer, Problem) = await check.AskAsync(Provider, cancellation);
        }

        return Page();
    }

    /// <summary>Tries the rules that stand in the form, and saves nothing.</summary>
    public IActionResult OnPostTry()
    {
        Take();
        Claims = Request.Form["claims"].ToString();
        Try();
        return Page();
    }

    public async Task<IActionResult> OnPostRemoveAsync(CancellationToken cancellation)
    {
        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        await store.UserLogins.Where(login => login.LoginProvider == Provider.Name).ExecuteDeleteAsync(cancellation);
        store.SignInProviders.Remove(Provider);
        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        TempData["note"] = $"{Provider.Label} is removed. People stay, and sign in another way.";
        return Redirect("/people/sign-in");
    }

    private void Try()
    {
        PersonClaim[] claims =
        [
            .. Claims
                .Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                .Select(line => line.Split(':', 2, StringSplitOptions.TrimEntries))
                .Where(parts => parts.Length == 2)
                .Select(parts => new PersonClaim(parts[0], parts[1])),
        ];
        var gifts = ClaimGifts.Of([.. Rules.Where(IsFilled)], claims);
        Given =
        [
            .. gifts.Roles.Select(role => $"the role {LabelOf(ClaimGift.Role, role)}").Order(StringComparer.CurrentCulture),
            .. gifts.Groups.Select(group => $"the group {LabelOf(ClaimGift.Group, group)}").Order(StringComparer.CurrentCulture),
            .. gifts
                .Attributes.Select(pair => $"{LabelOf(ClaimGift.Attribute, pair.Key)}: {pair.Value}")
                .Order(StringComparer.CurrentCulture),
        ];
    }

    /// <summary>What people call a role, a group or an attribute.</summary>
    private string LabelOf(ClaimGift gives, string name) =>
        gives switch
        {
            ClaimGift.Role => Workspace.Roles.FirstOrDefault(role => role.Name == name)?.Label,
            ClaimGift.Group => Workspace.Groups.FirstOrDefault(group => group.Name == name)?.Label,
            _ => Attributes.FirstOrDefault(attribute => attribute.Name == name).Label,
        } ?? name;

    private void Take()
    {
        var form = Request.Form;
        string Text(string name) => form[name].ToString().Trim();
        (Provider.Label, Provider.IsOn) = (Text("label"), form.ContainsKey("on"));
        (Provider.MakesPeople, Provider.ChecksSecondFactor) = (form.ContainsKey("makes"), form.ContainsKey("factor"));
        if (form["secret"].ToString() is { Length: > 0 } secret)
        {
            Provider.ProtectedSecret = secrets.Protect(secret);
        }

        Provider.Settings = Provider.Settings switch
        {
            ProviderSettings.OpenId known => known with
            {
                Authority = Text("authority").TrimEnd('/'),
                ClientId = Text("client"),
                Scopes = Text("scopes"),
            },
            ProviderSettings.Directory known => known with
            {
                Host = Text("host"),
                Port = int.TryParse(Text("port"), NumberStyles.None, CultureInfo.InvariantCulture, out var port) ? port : 0,
                StartTls = form.ContainsKey("tls"),
                BindName = Text("bind"),
                SearchBase = Text("base"),
                Filter = Text("filter"),
                NameAttribute = Text("nameAttribute"),
                MailAttribute = Text("mailAttribute"),
                GroupBase = Text("groupBase"),
            },
            var other => other,
        };
        var rules = Enumerable.Range(0, form["claim"].Count).Select(at => Rule(form, at)).ToArray();
        Rules = Padded([.. rules.Where(rule => rule.Claim.Length > 0 || rule.Value.Length > 0 || rule.Name.Length > 0)]);
        Problem = ProblemOf();
        if (Problem is null)
        {
            Provider.Rules = [.. Rules.Where(IsFilled)];
        }
    }

    private static ClaimRule Rule(IFormCollection form, int at)
    {
        var gives = (form["gives"].ElementAtOrDefault(at) ?? "").Split(':', 2);
        return new ClaimRule(
            form["claim"][at]?.Trim() ?? "",
            form["value"].ElementAtOrDefault(at)?.Trim() ?? "",
            Enum.TryParse<ClaimGift>(gives[0], out var gift) ? gift : ClaimGift.Role,
            gives is [_, var name] ? name : ""
        );
    }

    private string? ProblemOf() =>
        Provider.Label.Length == 0 ? "Write what people call it."
        : Rules.Any(rule => !IsFilled(rule) && rule != Empty) ? "Each rule needs a claim and what it gives."
        : !Provider.IsOn ? null
        : Provider.Settings switch
        {
            ProviderSettings.OpenId { Authority: var authority } openId
                when !Uri.TryCreate(authority, UriKind.Absolute, out var address)
                    || (address.Scheme != Uri.UriSchemeHttps && !(address.Scheme == Uri.UriSchemeHttp && openId.IsOnThisMachine)) =>
                "Write the provider's address, such as https://accounts.example.",
            ProviderSettings.OpenId { ClientId.Length: 0 } => "Write the client ID by which the provider knows Rostrum.",
            ProviderSettings.Directory { Host.Length: 0 } => "Write the directory's host.",
            ProviderSettings.Directory { Port: < 1 or > 65535 } => "The port is a number between 1 and 65535.",
            ProviderSettings.Directory { SearchBase.Length: 0 } => "Write below which entry people are, such as ou=people,dc=example.",
            ProviderSettings.Directory { Filter: var filter } when !filter.Contains("{name}", StringComparison.Ordinal) =>
                "The filter needs {name}, for the name that is typed, such as (uid={name}).",
            _ => null,
        };

    private static ClaimRule Empty { get; } = new("", "", ClaimGift.Role, "");

    private static bool IsFilled(ClaimRule rule) => rule.Claim.Length > 0 && rule.Name.Length > 0;

    private static ImmutableArray<ClaimRule> Padded(ImmutableArray<ClaimRule> rules) => [.. rules, .. Enumerable.Repeat(Empty, EmptyRules)];
}
