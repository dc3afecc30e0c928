using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;
using Rostrum.Core.Apps.Editing;
using Rostrum.Core.Datasets;
using Rostrum.Core.Datasets.Drafting;
using Rostrum.Store;
using Rostrum.Web.Build.Composer;
using Rostrum.Web.People;
using Rostrum.Web.People.Directory;

namespace Rostrum.Web.Build.Apps;

/// <summary>An app's versions: what is published next, what differs between two of them, and the way back.</summary>
internal sealed class VersionsModel(
    RostrumStore store,
    Drafts drafts,
    AppWriting writing,
    DraftEditing editing,
    WorkspaceCache workspaces,
    AccessEffects effects,
    CurrentPerson person,
    RecordFormat format
) : PageModel
{
    public AppDraft App { get; private set; } = null!;

    public ImmutableArray<VersionEntry> Versions { get; private set; } = [];

    public ImmutableArray<AppProblem> Problems { get; private set; } = [];

    /// <summary>What is compared: a version's number, or the draft where null.</summary>
    public int? From { get; private set; }

    public int? To { get; private set; }

    public ImmutableArray<AppDifference> Differences { get; private set; } = [];

    /// <summary>Who sees which page once the draft is published, and did not before; and the other way round.</summary>
    public ImmutableArray<AudienceChange> Audience { get; private set; } = [];

    /// <summary>What those see on each page who did not see it before, by the page's name.</summary>
    public ImmutableDictionary<string, ImmutableArray<string>> Seen { get; private set; } =
        ImmutableDictionary<string, ImmutableArray<string>>.Empty;

    /// <summary>The version that is about to be made live, and who gains and loses what by it.</summary>
    public (int Version, Consequences What)? MakingLive { get; private set; }

    /// <summary>The draft differs from what is live.</summary>
    public bool HasNews { get; private set; }

    public string? Refusal { get; private set; }

    [BindProperty]
    public string Note { get; set; } = "";

    public int Next => (Versions.FirstOrDefault()?.Number ?? 0) + 1;

    public string Here => $"/build/apps/{App.Address}/versions";

    public string When(DateTimeOffset at) => format.Display(new FieldType.Instant(), at);

    public static string NameOf(int? number) => number is { } version ? $"version {version}" : "the draft";

    public async Task<IActionResult> OnGetAsync(string address, CancellationToken cancellation) =>
        await LoadAsync(address, cancellation) ? Page() : NotFound();

    /// <summary>Publishes the draft as it was looked at.</summary>
    /// <param name="address">The app.</param>
    /// <param name="revision">The draft's revision that was looked at.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<IActionResult> OnPostPublishAsync(string address, int revision, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, cancellation))
        {
            return NotFound();
        }

        Refusal =
            Problems.Any(problem => !problem.Warns) ? "Fix the errors first: a draft with errors cannot be published."
            : App.Revision != revision ? await UnseenAsync(revision, cancellation)
            : !HasNews ? "There is nothing new to publish."
            : string.IsNullOrWhiteSpace(Note) ? "Enter a note: what is new for the people who use it?"
            : null;
        if (Refusal is not null)
        {
            return Page();
        }

        int number;
        try
        {
            number = await writing.PublishAsync(App, Note.Trim(), await person.NameAsync(cancellation), cancellation);
        }
        catch (DbUpdateException)
        {
            // Somebody else published or edited it at the same moment.
            store.ChangeTracker.Clear();
            await LoadAsync(address, cancellation);
            Refusal = "Not published: somebody else changed or published the draft at the same time. Check the changes, then publish.";
            return Page();
        }

        TempData["said"] = $"Version {number} is live.";
        return Redirect(Here);
    }

    /// <summary>An older version in the place of the draft; what the draft was can be had back by undoing.</summary>
    public async Task<IActionResult> OnPostRestoreAsync(string address, int version, CancellationToken cancellation)
    {
        if (!await LoadAsync(address, cancellation) || await FrozenAsync(version, cancellation) is not { } older)
        {
            return NotFound();
        }

        await editing.EditAsync(
            address,
            await store.DatasetsAsync(cancellation),
            App.Revision,
            new AppEdit.Restore(older.App, $"The draft is version {version} again"),
            person.Id!.Value,
            await person.NameAsync(cancellation),
            regardless: true,
            cancellation
        );
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

        if (await ConsequencesAsync(version, cancellation) is { } consequences)
        {
            MakingLive = (version, consequences);
            return Page();
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
        if (await drafts.FindAsync(store, address, cancellation) is not { } draft)
        {
            return false;
        }

        App = draft;
        Versions =
        [
            .. await store
                .Versions.AsNoTracking()
                .Where(version => version.AppId == draft.Id)
                .OrderByDescending(version => version.Number)
                .Select(version => new VersionEntry(version.Number, version.Note, version.PublishedBy, version.PublishedAt))
                .ToListAsync(cancellation),
        ];
        var catalogue = await store.DatasetsAsync(cancellation);
        Problems = AppProblems.Of(draft.Draft, catalogue, (await workspaces.GetAsync(cancellation)).Anybody);
        var now = FrozenApp.Of(draft.Draft, catalogue);
        From = Asked("from") ?? draft.LiveVersion;
        To = Asked("to");
        var before = await FrozenAsync(From, cancellation);
        var after = To is null ? now : await FrozenAsync(To, cancellation);
        Differences = before is null || after is null ? [] : AppComparison.Between(before, after);
        var live = From == draft.LiveVersion ? before : await FrozenAsync(draft.LiveVersion, cancellation);
        HasNews = live is null || AppText.Of(live) != AppText.Of(now);
        if (HasNews)
        {
            (Audience, Seen) = await AudienceAsync(live?.App, draft.Draft, cancellation);
        }

        return true;
    }

    private async Task<(ImmutableArray<AudienceChange> Audience, ImmutableDictionary<string, ImmutableArray<string>> Seen)> AudienceAsync(
        AppDefinition? live,
        AppDefinition next,
        CancellationToken cancellation
    )
    {
        var workspace = await workspaces.GetAsync(cancellation);
        var people = workspace.People.Values.Where(known => known.IsActive);
        var changes = AudienceChange.Between(live, next, [.. people.Select(known => (known.Name, (IReadOnlySet<string>)known.Roles))]);
        var gained = changes
            .Where(change => !change.Gains.IsEmpty)
            .Select(change => (next.Pages.First(page => page.Name == change.Page), change.Gains));
        return (changes, await effects.OfPagesAsync(workspace, gained, cancellation));
    }

    // Who sees other pages once an older version is live again; null where nobody does, or where that was shown.
    private async Task<Consequences?> ConsequencesAsync(int version, CancellationToken cancellation)
    {
        if (await FrozenAsync(version, cancellation) is not { App: var older })
        {
            return null;
        }

        var (audience, seen) = await AudienceAsync((await FrozenAsync(App.LiveVersion, cancellation))?.App, older, cancellation);
        return await Consequences.ToShowAsync(Request.Form, [$"{version}", $"{App.LiveVersion}"], () =>
            Task.FromResult<IReadOnlyList<string>>([
                .. audience.SelectMany(change =>
                    new[]
                    {
                        change.Gains.IsEmpty ? null : $"{change.Page} will be seen by {Wording.Several(change.Gains)}.",
                        change.Loses.IsEmpty ? null : $"{change.Page} will no longer be seen by {Wording.Several(change.Loses)}.",
                    }
                        .OfType<string>()
                        .Concat(seen.GetValueOrDefault(change.Page, []))
                ),
            ])
        );
    }

    // What nobody here has looked at is not published.
    private async Task<string> UnseenAsync(int revision, CancellationToken cancellation)
    {
        var others = await store
            .Edits.AsNoTracking()
            .Where(edit => edit.AppId == App.Id && edit.Revision > revision)
            .OrderByDescending(edit => edit.Revision)
            .Select(edit => $"{edit.PersonName}: {edit.Said}")
            .Take(3)
            .ToListAsync(cancellation);
        var said = others.Count == 0 ? "" : $" {string.Join("; ", others)}.";
        return $"Not published: the draft has changed since you looked at it.{said} Check the changes below, then publish.";
    }

    private int? Asked(string name) =>
        int.TryParse(Request.Query[name], CultureInfo.InvariantCulture, out var number) && Versions.Any(version => version.Number == number)
            ? number
            : null;

    private async Task<FrozenApp?> FrozenAsync(int? number, CancellationToken cancellation) =>
        number is null
            ? null
            : (
                await store
                    .Versions.AsNoTracking()
                    .FirstOrDefaultAsync(version => version.AppId == App.Id && version.Number == number, cancellation)
            )?.Frozen;
}

/// <summary>A version without what was frozen.</summary>
internal sealed record VersionEntry(int Number, string Note, string PublishedBy, DateTimeOffset PublishedAt);
