using System.Collections.Immutable;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Store;

namespace Rostrum.Web.People.Roles;

/// <summary>The roles that there are, for owners: who holds them, and to how many datasets they give a way.</summary>
internal sealed class IndexModel(WorkspaceCache workspaces, RoleManager<Role> roles) : PageModel
{
    /// <param name="Name">Its name in formulas.</param>
    /// <param name="Label">What people read.</param>
    /// <param name="People">How many hold it.</param>
    /// <param name="Datasets">How many datasets it gives rights to.</param>
    /// <param name="NeedsSecondFactor">Whoever holds it signs in with a second factor.</param>
    public sealed record Row(string Name, string Label, int People, int Datasets, bool NeedsSecondFactor);

    public ImmutableArray<Row> Roles { get; private set; } = [];

    public string Label { get; private set; } = "";

    public string? Problem { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var people = workspace.People.Values.SelectMany(person => person.Roles).CountBy(role => role).ToDictionary();
        Roles =
        [
            .. workspace.Roles.Select(role => new Row(
                role.Name,
                role.Label,
                people.GetValueOrDefault(role.Name),
                workspace.Policies.Where(policy => policy.Role == role.Name).Select(policy => policy.Dataset).Distinct().Count(),
                role.NeedsSecondFactor
            )),
        ];
    }

    public async Task<IActionResult> OnPostAsync(string? label, CancellationToken cancellation)
    {
        Label = label?.Trim() ?? "";
        var known = (await workspaces.GetAsync(cancellation)).Roles;
        Problem = RoleLabel.Problem(Label, known);
        if (Problem is null)
        {
            var name = Wording.FieldName(Label, known.Select(role => new FieldName(role.Name))).Value;
            var result = await roles.CreateAsync(new Role { Name = name, Label = Label });
            if (result.Succeeded)
            {
                return Redirect($"/people/roles/{Uri.EscapeDataString(name)}");
            }

            Problem = $"Not added: {string.Join(" ", result.Errors.Select(error => error.Description))}";
        }

        await OnGetAsync(cancellation);
        return Page();
    }
}
