using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;
using Rostrum.Store;
using Rostrum.Web.People;
using Rostrum.Web.Build.Composer;

namespace Rostrum.Web.Build.Apps;

/// <summary>An app's versions: what is published next, what differs between two of them, and the way back.</summary>
internal sealed class VersionsModel(RostrumStore store, AppWriting writing, DraftEditing editing, WorkspaceCache workspaces, CurrentPerson person, RecordFormat format) : PageModel
{
    public StoredApp App { get; private set; } = null!;

    public ImmutableArray<StoredVersion> Versions { get; private set; } = [];

    public ImmutableArray<AppProblem> Problems { get; private set; } = [];

    /// <summary>What is compared: a version's number, or the draft where null.</summary>
    public int? From { get; private set; }

    public int? To { get; private set; }

    public ImmutableArray<AppDifference> Differences { get; private set; } = [];

    /// <summary>The draft differs from what is live.</summary>
    public bool HasNews { get; private set; }

    public string? Refusal { get; private set; }

    [BindProperty]
    public string Note { get; set; } = "";

    public int Next => (Versions.FirstOrDefault()?.Number ?? 0) + 1;

    public string Here => $"/build/apps/{App.Address}/versions";

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public static string NameOf(int? number) => number is { } version ? $"version {version}" : "the draft";

    public async Task<IActionResult> OnGetAsync(string address, CancellationToken cancellation) => await LoadAsync(address, cancellation) ? Page() : NotFound();

    public async Task<IActionResult> OnPostPublishAsync(string address, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, cancellation))
        {
            return NotFound();
        }

        Refusal = Problems.Any(problem => !problem.Warns) ? "Put right what is wrong first; until then it cannot be published."
            : string.IsNullOrWhiteSpace(Note) ? "Write a note: what is new for the people who use it?"
            : null;
        if (Refusal is not null)
        {
            return Page();
        }

        var stored = await store.Apps.FirstAsync(app => app.Address == address, cancellation);
        var number = await writing.PublishAsync(stored, Note.Trim(), await person.NameAsync(cancellation), cancellation);
        TempData["said"] = $"Version {number} is live.";
        return Redirect(Here);
    }

    /// <summary>An older version in the place of the draft; what the draft was can be had back by undoing.</summary>
    public async Task<IActionResult> OnPostRestoreAsync(string address, int version, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, cancellation) || Versions.FirstOrDefault(known => known.Number == version) is not { } older)
        {
            return NotFound();
        }

        await editing.EditAsync(address, await store.DatasetsAsync(cancellation), App.Revision, new AppEdit.Restore(older.Frozen.App, $"The draft is version {version} again"), person.Id!.Value, await person.NameAsync(cancellation), regardless: true, cancellation);
        TempData["said"] = $"The draft is version {version} again. Undo in the page's editor brings back what it was.";
        return Redirect(Here);
    }

    /// <summary>An older version is live again, at once. The draft stays as it is.</summary>
    public async Task<IActionResult> OnPostLiveAsync(string address, int version, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, cancellation) || Versions.All(known => known.Number != version))
        {
            return NotFound();
        }

        var stored = await store.Apps.FirstAsync(app => app.Address == address, cancellation);
        stored.LiveVersion = version;
        stored.Revision++;
        await store.SaveChangesAsync(cancellation);
        TempData["said"] = $"Version {version} is live.";
        return Redirect(Here);
    }

    private async Task<bool> LoadAsync(string address, CancellationToken cancellation)
    {
        if (await store.Apps.AsNoTracking().FirstOrDefaultAsync(app => app.Address == address, cancellation) is not { } stored)
        {
            return false;
        }

        App = stored;
        Versions = [.. await store.Versions.AsNoTracking().Where(version => version.AppId == stored.Id).OrderByDescending(version => version.Number).ToListAsync(cancellation)];
        var catalogue = await store.DatasetsAsync(cancellation);
        Problems = AppProblems.Of(stored.Draft, catalogue, (await workspaces.GetAsync(cancellation)).Anybody);
        var draft = FrozenApp.Of(stored.Draft, catalogue);
        FrozenApp? Of(int? number) => number is { } wanted ? Versions.FirstOrDefault(version => version.Number == wanted)?.Frozen : draft;
        From = int.TryParse(Request.Query["from"], CultureInfo.InvariantCulture, out var from) && Versions.Any(version => version.Number == from) ? from : stored.LiveVersion;
        To = int.TryParse(Request.Query["to"], CultureInfo.InvariantCulture, out var to) && Versions.Any(version => version.Number == to) ? to : null;
        Differences = From is null || Of(From) is not { } before || Of(To) is not { } after ? [] : AppComparison.Between(before, after);
        HasNews = Of(stored.LiveVersion) is not { } live || stored.LiveVersion is null || AppText.Of(live) != AppText.Of(draft);
        return true;
    }
}
