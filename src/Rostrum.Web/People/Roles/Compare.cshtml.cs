using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Access;
using Rostrum.Core.Datasets;
using Rostrum.Store;

namespace Rostrum.Web.People.Roles;

/// <summary>What two roles may do, side by side.</summary>
internal sealed class CompareModel(WorkspaceCache workspaces) : PageModel
{
    /// <summary>What the two may do with one dataset; or in the workspace.</summary>
    /// <param name="Label">Of what it speaks.</param>
    /// <param name="Address">Where the rights are set; null where they are not rights to records.</param>
    /// <param name="One">What the first may do, a line each.</param>
    /// <param name="Other">What the second may do.</param>
    public sealed record Row(string Label, string? Address, ImmutableArray<string> One, ImmutableArray<string> Other)
    {
        public bool Differs => !One.SequenceEqual(Other);
    }

    [BindProperty(SupportsGet = true)]
    public string? One { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Other { get; set; }

    /// <summary>Only what differs.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Differences { get; set; }

    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    public ImmutableArray<Row> Rows { get; private set; } = [];

    public string LabelOf(string? role) => Roles.FirstOrDefault(entry => entry.Name == role)?.Label ?? "";

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        Roles = workspace.Roles;
        if (Roles.All(role => role.Name != One) || Roles.All(role => role.Name != Other))
        {
            return;
        }

        Rows =
        [
            .. new[] { new Row("In the workspace", null, InWorkspace(One), InWorkspace(Other)) }
                .Concat(
                    from dataset in workspace.Datasets.All
                    orderby dataset.Label
                    select new Row(
                        dataset.Label,
                        $"/build/sources/{dataset.Source.Value:N}/{dataset.Id}/access",
                        Of(workspace, dataset, One),
                        Of(workspace, dataset, Other)
                    )
                )
                .Where(row => row.One.Length + row.Other.Length > 0 && (!Differences || row.Differs)),
        ];

        ImmutableArray<string> InWorkspace(string? role)
        {
            var permissions = Roles.First(entry => entry.Name == role).Permissions;
            return [.. OneRoleModel.Permissions.Where(known => permissions.HasFlag(known.Permission)).Select(known => known.Label)];
        }
    }

    private static ImmutableArray<string> Of(Workspace workspace, Dataset dataset, string? role) =>
        workspace.Policies.FirstOrDefault(policy => policy.Dataset == dataset.Id && policy.Role == role) is { Verbs: not Verbs.None } policy
            ? [string.Join(", ", RightWords.Of(dataset, policy.Verbs)), .. RightWords.Limits(policy)]
            : [];
}
