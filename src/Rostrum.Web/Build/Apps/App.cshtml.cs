using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Access;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Apps.Panels;
using Rostrum.Core.Apps.Settings;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.Build.Apps.Files;
using Rostrum.Web.Build.Composer;
using Rostrum.Web.People;
using Rostrum.Web.People.Directory;

namespace Rostrum.Web.Build.Apps;

/// <summary>An app's pages, who may do what in it, and its versions.</summary>
internal sealed class AppModel(
    RostrumStore store,
    Drafts drafts,
    AppWriting writing,
    DraftEditing editing,
    WorkspaceCache workspaces,
    AccessEffects effects,
    CurrentPerson person
) : PageModel
{
    /// <summary>What one role may do with one dataset.</summary>
    public sealed record AccessRow(Dataset Dataset, bool IsNamedOnly, Verbs Verbs, IEnumerable<PolicyLimit> Limits);

    public AppDraft App { get; private set; } = null!;

    public ImmutableArray<RoleEntry> Roles { get; private set; } = [];

    public RoleEntry Shown { get; private set; } = new("", "");

    public ImmutableArray<AccessRow> Access { get; private set; } = [];

    /// <summary>The pages that the role sees, as they are ticked.</summary>
    public ImmutableHashSet<string> Seen { get; private set; } = [];

    /// <summary>Who gains and who loses what by the rights that are about to be saved; null where that was not asked yet.</summary>
    public Consequences? Consequences { get; private set; }

    public bool DiffersFromLive { get; private set; }

    public async Task<IActionResult> OnGetAsync(string address, string? role, CancellationToken cancellation) =>
        await LoadAsync(address, role, cancellation) ? Page() : NotFound();

    public async Task<IActionResult> OnPostAccessAsync(string address, string role, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, role, cancellation) || Shown.Name != role)
        {
            return NotFound();
        }

        bool Ticked(string name) => Request.Form.ContainsKey(name);
        var held = Access.ToDictionary(row => row.Dataset.Id, row => row.Verbs);
        if (await person.MayAsync(WorkspacePermissions.ManageRights, cancellation))
        {
            Access = [.. Access.Select(row => row with { Verbs = Together(verb => Ticked($"{verb}.{row.Dataset.Id}")) })];
        }

        Seen = [.. App.Draft.Pages.Select(page => page.Address).Where(page => Ticked($"page.{page}"))];
        AccessRow[] changed = [.. Access.Where(row => row.Verbs != held[row.Dataset.Id])];
        Consequences = await Consequences.ToShowAsync(Request.Form, changed.Select(row => $"{row.Dataset.Id} {row.Verbs}"), () =>
            ChangesAsync(changed, cancellation)
        );
        if (Consequences is not null)
        {
            return Page();
        }

        await store.SaveOnNewestAsync(
            async () =>
            {
                foreach (var row in Access)
                {
                    await writing.SetAsync(role, row.Dataset.Id, row.Verbs, cancellation);
                }
            },
            cancellation
        );

        AppEdit[] edits =
        [
            .. from page in App.Draft.Pages
            let sees = Seen.Contains(page.Address)
            where sees != page.Audience.Contains(role)
            select new AppEdit.SetPage(
                page.Address,
                "audience",
                string.Join(", ", sees ? page.Audience.Add(role) : page.Audience.Remove(role))
            ),
        ];
        if (edits.Length > 0)
        {
            await editing.EditAsync(
                address,
                await store.DatasetsAsync(cancellation),
                App.Revision,
                new AppEdit.Several([.. edits], $"Pages that {Shown.Label.ToLowerInvariant()} sees"),
                person.Id!.Value,
                await person.NameAsync(cancellation),
                regardless: true,
                cancellation
            );
        }

        return Redirect($"/build/apps/{address}?role={role}&saved=1");
    }

    private static Verbs Together(Func<Verbs, bool> ticked) =>
        Rights.EachVerb.Where(ticked).Aggregate(Verbs.None, (all, verb) => all | verb);

    private async Task<IReadOnlyList<string>> ChangesAsync(AccessRow[] changed, CancellationToken cancellation)
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var lines = new List<string>();
        foreach (var row in changed)
        {
            var known = workspace.Policies.FirstOrDefault(policy => policy.Role == Shown.Name && policy.Dataset == row.Dataset.Id);
            var wanted = (known ?? Policy.On(Shown.Name, row.Dataset.Id, row.Verbs)) with { Verbs = row.Verbs };
            lines.AddRange(await effects.OfPolicyAsync(workspace, wanted, cancellation));
        }

        return lines;
    }

    /// <summary>What is wrong with what was said of the look.</summary>
    public string? LookProblem { get; private set; }

    /// <summary>Says how the app looks: in its draft, as everything else.</summary>
    public async Task<IActionResult> OnPostLookAsync(string address, IFormFile? logo, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, null, cancellation))
        {
            return NotFound();
        }

        var before = App.Draft.Look ?? new AppLook();
        var picture =
            Request.Form.ContainsKey("noLogo") ? ""
            : logo is { Length: > 0 } ? await PictureAsync(logo, cancellation)
            : before.Logo ?? "";
        AppEdit[] edits =
        [
            .. from setting in AppLook.Settings
            let text = setting.Key == "logo" ? picture
            : setting.Kind is SettingKind.Toggle ? Setting.Word(Request.Form.ContainsKey(setting.Key))
            : Request.Form[setting.Key].ToString().Trim()
            where text != setting.Get(before)
            select new AppEdit.SetApp(setting.Key, text),
            .. Request.Form["name"].ToString().Trim() is var name && name != App.Draft.Name && Request.Form.ContainsKey("name")
                ? [new AppEdit.SetApp(AppEdit.SetApp.Name, name)]
                : Array.Empty<AppEdit>(),
        ];
        if (
            edits.Length > 0
            && await editing.EditAsync(
                address,
                await store.DatasetsAsync(cancellation),
                App.Revision,
                new AppEdit.Several([.. edits], "The app’s name and look"),
                person.Id!.Value,
                await person.NameAsync(cancellation),
                regardless: true,
                cancellation
            )
                is DraftOutcome.Refused refused
        )
        {
            LookProblem = refused.Reason;
            return Page();
        }

        return Redirect($"/build/apps/{address}#look");
    }

    private static async Task<string> PictureAsync(IFormFile file, CancellationToken cancellation)
    {
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes, cancellation);
        return $"data:{file.ContentType};base64,{Convert.ToBase64String(bytes.ToArray())}";
    }

    /// <summary>Ends the app, with all that was kept of it.</summary>
    public async Task<IActionResult> OnPostRemoveAsync(string address, CancellationToken cancellation)
    {
        if (await store.Apps.FirstOrDefaultAsync(app => app.Address == address, cancellation) is not { } app)
        {
            return NotFound();
        }

        await using var transaction = await store.Database.BeginTransactionAsync(cancellation);
        await store.Edits.Where(edit => edit.AppId == app.Id).ExecuteDeleteAsync(cancellation);
        await store.Versions.Where(version => version.AppId == app.Id).ExecuteDeleteAsync(cancellation);
        await store.PersonalTables.Where(table => table.App == address).ExecuteDeleteAsync(cancellation);
        await store.Openings.Where(opening => opening.App == address).ExecuteDeleteAsync(cancellation);
        store.Apps.Remove(app);
        await store.SaveChangesAsync(cancellation);
        await transaction.CommitAsync(cancellation);
        return Redirect("/build");
    }

    /// <summary>The draft as text files, in a ZIP file.</summary>
    public async Task<IActionResult> OnGetExportAsync(
        string address,
        [FromServices] AppTransfer transfer,
        CancellationToken cancellation
    ) =>
        await transfer.ExportAsync(address, cancellation) is { } folder
            ? File(FolderInZip.Write(folder), "application/zip", $"{address}.zip")
            : NotFound();

    private async Task<bool> LoadAsync(string address, string? role, CancellationToken cancellation)
    {
        if (await drafts.FindAsync(store, address, cancellation) is not { } stored)
        {
            return false;
        }

        App = stored;
        var workspace = await workspaces.GetAsync(cancellation);
        Roles = workspace.Roles;
        Shown = Roles.FirstOrDefault(entry => entry.Name == role) ?? Roles.First(entry => entry.Name == Role.Builder);
        var datasets = await store.DatasetsAsync(cancellation);
        var frozen = FrozenApp.Of(stored.Draft, datasets);
        var policies = await store
            .Policies.AsNoTracking()
            .Where(policy => policy.Role == Shown.Name)
            .ToDictionaryAsync(policy => policy.DatasetId, cancellation);
        var shown = stored.Draft.Datasets.ToHashSet();
        Access =
        [
            .. from dataset in frozen.Datasets
            orderby !shown.Contains(dataset.Id), dataset.Label
            let policy = policies.GetValueOrDefault(dataset.Id.Value)
            let kind = workspace.Sources[dataset.Source.Value].Kind
            select new AccessRow(
                dataset,
                !shown.Contains(dataset.Id),
                policy?.Verbs ?? Verbs.None,
                PolicyLimit.Of(policy, kind, datasets, dataset, workspace.Anybody)
            ),
        ];
        Seen = [.. stored.Draft.Pages.Where(page => page.Audience.Contains(Shown.Name)).Select(page => page.Address)];
        DiffersFromLive =
            await store
                .Versions.AsNoTracking()
                .FirstOrDefaultAsync(version => version.AppId == stored.Id && version.Number == stored.LiveVersion, cancellation)
                is not { } live
            || AppText.Of(live.Frozen) != AppText.Of(frozen);
        return true;
    }
}

/// <summary>An app and its datasets as text, in one order, to tell whether two are the same.</summary>
internal static class AppText
{
    public static string Of(FrozenApp frozen) =>
        System.Text.Json.JsonSerializer.Serialize(
            frozen with
            {
                Datasets = [.. frozen.Datasets.OrderBy(dataset => dataset.Id.Value)],
            },
            Core.KindJson.Options
        );
}
