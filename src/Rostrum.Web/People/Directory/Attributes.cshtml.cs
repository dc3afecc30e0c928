using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Store;

namespace Rostrum.Web.People.Directory;

/// <summary>What the workspace keeps of each person, for owners.</summary>
internal sealed class AttributesModel(RostrumStore store, WorkspaceCache workspaces) : PageModel
{
    /// <summary>One attribute, as the list shows it.</summary>
    public sealed record Row(string Name, string Label, string Type, bool SetBySelf, int People);

    // These are every person's already.
    private static readonly FieldName[] Taken = [new("name"), new("email"), new("roles"), new("groups")];

    private static readonly ImmutableArray<(string Name, string Label, FieldType Type)> Offered =
    [
        ("text", "text", new FieldType.Text()),
        ("number", "number", new FieldType.Number()),
        ("yes-no", "yes or no", new FieldType.YesNo()),
        ("date", "date", new FieldType.Date()),
    ];

    /// <summary>The types, and the datasets of whose records an attribute may mean one.</summary>
    public ImmutableArray<(string Name, string Label)> Types { get; private set; } = [];

    public ImmutableArray<(string Name, string Label)> Records { get; private set; } = [];

    public bool SetBySelf { get; private set; }

    public ImmutableArray<Row> Rows { get; private set; } = [];

    public string Label { get; private set; } = "";

    public string Type { get; private set; } = "text";

    public string? Problem { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        Types = [.. Offered.Select(type => (type.Name, type.Label))];
        Records =
        [
            .. workspace
                .Datasets.All.Where(dataset => !dataset.Key.IsEmpty && !dataset.IsStatement)
                .OrderBy(dataset => dataset.Label, StringComparer.CurrentCulture)
                .Select(dataset => ($"{dataset.Id}", $"one of {dataset.LabelInSentence}")),
        ];
        Rows =
        [
            .. (await store.Attributes.AsNoTracking().OrderBy(attribute => attribute.Label).ToListAsync(cancellation)).Select(
                attribute => new Row(
                    attribute.Name,
                    attribute.Label,
                    attribute.DatasetId is { } of
                        ? $"one of {workspace.Datasets.Find(new DatasetId(of))?.LabelInSentence ?? "records that are gone"}"
                        : attribute.Type.Word,
                    attribute.SetBySelf,
                    workspace.People.Values.Count(person =>
                        person.Attributes.Any(known => known.Name == attribute.Name && known.Value is not null)
                    )
                )
            ),
        ];
    }

    public async Task<IActionResult> OnPostAsync(string? label, string? type, bool? self, CancellationToken cancellation)
    {
        (Label, Type, SetBySelf) = (label?.Trim() ?? "", type ?? "text", self is true);
        var known = await store.Attributes.AsNoTracking().ToListAsync(cancellation);
        Problem =
            Label.Length == 0 ? "Write what people call it."
            : known.Exists(attribute => attribute.Label.Equals(Label, StringComparison.OrdinalIgnoreCase))
                ? $"There is an attribute “{Label}” already."
            : null;
        if (Problem is not null)
        {
            await OnGetAsync(cancellation);
            return Page();
        }

        var name = Wording.FieldName(Label, [.. Taken, .. known.Select(attribute => new FieldName(attribute.Name))]).Value;
        var chosen = Offered.FirstOrDefault(offered => offered.Name == Type);
        store.Attributes.Add(
            new StoredAttribute
            {
                Name = name,
                Label = Label,
                Type = chosen.Type ?? new FieldType.Text(),
                DatasetId =
                    Guid.TryParse(Type, out var id)
                    && (await workspaces.GetAsync(cancellation)).Datasets.Find(new DatasetId(id)) is not null
                        ? id
                        : null,
                SetBySelf = SetBySelf,
            }
        );
        await store.SaveChangesAsync(cancellation);
        return Redirect("/people/attributes");
    }

    public async Task<IActionResult> OnPostRemoveAsync(string name, CancellationToken cancellation)
    {
        if (await store.Attributes.FirstOrDefaultAsync(attribute => attribute.Name == name, cancellation) is { } attribute)
        {
            store.Attributes.Remove(attribute);
            foreach (var person in await store.Users.ToListAsync(cancellation))
            {
                person.Attributes = person.Attributes.Remove(name);
            }

            await store.SaveChangesAsync(cancellation);
        }

        return Redirect("/people/attributes");
    }
}
