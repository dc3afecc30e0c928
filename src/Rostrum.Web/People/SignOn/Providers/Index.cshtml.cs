using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access.SignIn;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Store;

namespace Rostrum.Web.People.SignOn.Providers;

/// <summary>The services by which people sign in, beside names and passwords of Rostrum's own.</summary>
internal sealed class IndexModel(RostrumStore store, WorkspaceCache workspaces, ProviderSecrets secrets, RecordFormat format) : PageModel
{
    /// <summary>One service, as the list shows it.</summary>
    public sealed record Row(string Name, string Label, string Kind, bool IsOn, int People, string? Failure);

    public const string OpenId = "openid";
    public const string Directory = "directory";

    public ImmutableArray<Row> Rows { get; private set; } = [];

    public string Label { get; private set; } = "";

    public string Kind { get; private set; } = OpenId;

    public string? Problem { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var counts = await store
            .UserLogins.GroupBy(login => login.LoginProvider)
            .Select(logins => new { Name = logins.Key, People = logins.Count() })
            .ToDictionaryAsync(logins => logins.Name, logins => logins.People, cancellation);
        Rows =
        [
            .. (await store.SignInProviders.AsNoTracking().OrderBy(provider => provider.Label).ToListAsync(cancellation)).Select(
                provider => new Row(
                    provider.Name,
                    provider.Label,
                    provider.Settings is ProviderSettings.OpenId ? "OpenID Connect" : "LDAP directory",
                    provider.IsOn,
                    counts.GetValueOrDefault(provider.Name),
                    provider.FailedAt is { } at ? $"{format.Display(new FieldType.Instant(), at)}: {provider.Failure}" : null
                )
            ),
        ];
    }

    public async Task<IActionResult> OnPostAsync(string? label, string? kind, CancellationToken cancellation)
    {
        (Label, Kind) = (label?.Trim() ?? "", kind == Directory ? Directory : OpenId);
        var known = (await workspaces.GetAsync(cancellation)).SignInProviders;
        Problem =
            Label.Length == 0 ? "Write what people call it."
            : known.Any(provider => provider.Label.Equals(Label, StringComparison.OrdinalIgnoreCase)) ? $"There is “{Label}” already."
            : null;
        if (Problem is not null)
        {
            await OnGetAsync(cancellation);
            return Page();
        }

        var wish = Wording.Address(Label);
        var name = known.Any(provider => provider.Name == wish) ? $"{wish}-{known.Length + 1}" : wish;
        store.SignInProviders.Add(
            new SignInProvider
            {
                Name = name,
                Label = Label,
                Settings =
                    Kind == Directory
                        ? new ProviderSettings.Directory { Host = "", SearchBase = "" }
                        : new ProviderSettings.OpenId { Authority = "", ClientId = "" },
                ProtectedSecret = secrets.Protect(""),
            }
        );
        await store.SaveChangesAsync(cancellation);
        return Redirect($"/people/sign-in/{name}");
    }
}
