using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Store;

namespace Rostrum.Web.People.Directory;

/// <summary>The groups that there are, for owners.</summary>
internal sealed class GroupsModel(RostrumStore store, WorkspaceCache workspaces) : PageModel
{
    /// <summary>One group, as the list shows it.</summary>
    public sealed record Row(string Name, string Label, string Roles, int People);

    public ImmutableArray<Row> Rows { get; private set; } = [];

    public string Label { get; private set; } = "";

    public string? Problem { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var labels = workspace.Roles.ToDictionary(role => role.Name, role => role.Label);
        var people = workspace.People.Values.SelectMany(person => person.Groups).CountBy(group => group).ToDictionary();
        Rows =
        [
            .. workspace.Groups.Select(group => new Row(
                group.Name,
                group.Label,
                string.Join(", ", group.Roles.Select(role => labels.GetValueOrDefault(role, role))),
                people.GetValueOrDefault(group.Name)
            )),
        ];
    }

    public async Task<IActionResult> OnPostAsync(string? label, CancellationToken cancellation)
    {
        Label = label?.Trim() ?? "";
        var known = (await workspaces.GetAsync(cancellation)).Groups;
        Problem = ProblemOf(Label, known);
        if (Problem is not null)
        {
            await OnGetAsync(cancellation);
            return Page();
        }

        var name = Wording.FieldName(Label, known.Select(group => new FieldName(group.Name))).Value;
        store.Groups.Add(new Group { Name = name, Label = Label });
        await store.SaveChangesAsync(cancellation);
        return Redirect($"/people/groups/{Uri.EscapeDataString(name)}");
    }

    /// <summary>What is wrong with a label; null where nothing is.</summary>
    internal static string? ProblemOf(string label, IEnumerable<GroupEntry> others) =>
        label.Length == 0 ? "Write what people call it."
        : others.Any(group => group.Label.Equals(label, StringComparison.OrdinalIgnoreCase)) ? $"There is a group “{label}” already."
        : null;
}
