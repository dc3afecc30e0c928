using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.People;

namespace Rostrum.Web.Workshop.Apps;

/// <summary>An app's pages, who may do what in it, and its versions.</summary>
internal sealed class AppModel(RostrumStore store, AppWriting writing, WorkspaceCache workspaces, CurrentPerson person, RecordFormat format) : PageModel
{
    /// <summary>What one role may do with one dataset, and whether it sees the dataset's page.</summary>
    public sealed record AccessRow(Dataset Dataset, string? PageAddress, string Label, bool SeesPage, StoredPolicy? Policy, DatasetCatalogue Catalogue)
    {
        public Verbs Verbs => Policy?.Verbs ?? Verbs.None;

        /// <summary>What narrows the rights, in words, each with what is wrong with it.</summary>
        public IEnumerable<(string Words, string? Formula, string? Problem)> Limits
        {
            get
            {
                if (Policy?.Condition is { } condition)
                {
                    yield return ("Only records where", condition, Problem(condition));
                }

                if (Policy?.WriteCondition is { } writes)
                {
                    yield return ("Adds, changes and deletes only where", writes, Problem(writes));
                }

                if (Policy?.HiddenFields is { Length: > 0 } hidden)
                {
                    yield return ($"Without {string.Join(", ", hidden.Select(name => Dataset.Find(new FieldName(name))?.Label.ToLowerInvariant() ?? name))}.", null, null);
                }
            }
        }

        private string? Problem(string formula) => RecordGate.ProblemOf(Catalogue, Dataset, formula) is { } problem ? $"Nobody gets through: {problem}" : null;
    }

    public StoredApp App { get; private set; } = null!;

    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    public RoleEntry Shown { get; private set; } = new("", "");

    public ImmutableArray<AccessRow> Access { get; private set; } = [];

    public ImmutableArray<StoredVersion> Versions { get; private set; } = [];

    public bool DiffersFromLive { get; private set; }

    public string? Refusal { get; private set; }

    [BindProperty]
    public string Note { get; set; } = "";

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public async Task<IActionResult> OnGetAsync(string address, string? role, CancellationToken cancellation) =>
        await LoadAsync(address, role, cancellation) ? Page() : NotFound();

    public async Task<IActionResult> OnPostAccessAsync(string address, string role, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, role, cancellation) || Shown.Name != role)
        {
            return NotFound();
        }

        bool Ticked(string name) => Request.Form.ContainsKey(name);
        foreach (var row in Access)
        {
            Verbs[] verbs = [.. new[] { Verbs.View, Verbs.Create, Verbs.Update, Verbs.Delete }.Where(verb => Ticked($"{verb}.{row.Dataset.Id}"))];
            await writing.SetAsync(role, row.Dataset.Id, verbs.Aggregate(Verbs.None, (all, verb) => all | verb), cancellation);
        }

        var stored = await store.Apps.FirstAsync(app => app.Address == address, cancellation);
        stored.Draft = stored.Draft with
        {
            Pages = [.. stored.Draft.Pages.Select(page => page with { Audience = Ticked($"page.{page.Address}") ? [.. page.Audience.Add(role).Distinct()] : page.Audience.Remove(role) })],
        };
        stored.Revision++;
        await store.SaveChangesAsync(cancellation);
        return Redirect($"/workshop/apps/{address}?role={role}&saved=1");
    }

    public async Task<IActionResult> OnPostPublishAsync(string address, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, null, cancellation))
        {
            return NotFound();
        }

        if (string.IsNullOrWhiteSpace(Note))
        {
            Refusal = "Write a note: what is new for the people who use it?";
            return Page();
        }

        var stored = await store.Apps.FirstAsync(app => app.Address == address, cancellation);
        await writing.PublishAsync(stored, Note.Trim(), await person.NameAsync(cancellation), cancellation);
        return Redirect($"/workshop/apps/{address}");
    }

    private async Task<bool> LoadAsync(string address, string? role, CancellationToken cancellation)
    {
        if (await store.Apps.AsNoTracking().FirstOrDefaultAsync(app => app.Address == address, cancellation) is not { } stored)
        {
            return false;
        }

        App = stored;
        var workspace = await workspaces.GetAsync(cancellation);
        Roles = workspace.Roles;
        Shown = Roles.FirstOrDefault(entry => entry.Name == role) ?? Roles.First(entry => entry.Name == Role.Builder);
        var datasets = await store.DatasetsAsync(cancellation);
        var frozen = FrozenApp.Of(stored.Draft, datasets);
        var policies = await store.Policies.AsNoTracking().Where(policy => policy.Role == Shown.Name).ToDictionaryAsync(policy => policy.DatasetId, cancellation);
        var paged = stored.Draft.Pages.SelectMany(page => page.Panels.OfType<TablePanel>().Select(panel => (page, panel.Dataset))).ToArray();
        Access =
        [
            .. from entry in paged
               let dataset = datasets.Find(entry.Dataset)
               where dataset is not null
               select new AccessRow(dataset, entry.page.Address, entry.page.Name, entry.page.Audience.Contains(Shown.Name), policies.GetValueOrDefault(dataset.Id.Value), datasets),
            .. from dataset in frozen.Datasets
               where paged.All(entry => entry.Dataset != dataset.Id)
               select new AccessRow(dataset, null, dataset.Label, false, policies.GetValueOrDefault(dataset.Id.Value), datasets),
        ];
        Versions = [.. await store.Versions.AsNoTracking().Where(version => version.AppId == stored.Id).OrderByDescending(version => version.Number).ToListAsync(cancellation)];
        DiffersFromLive = Versions.FirstOrDefault(version => version.Number == stored.LiveVersion) is not { } live || AppText.Of(live.Frozen) != AppText.Of(frozen);
        return true;
    }
}

/// <summary>An app and its datasets as text, in one order, to tell whether two are the same.</summary>
internal static class AppText
{
    public static string Of(FrozenApp frozen) => System.Text.Json.JsonSerializer.Serialize(
        frozen with { Datasets = [.. frozen.Datasets.OrderBy(dataset => dataset.Id.Value)] }, Core.KindJson.Options);
}
