using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;
using Rostrum.Web.People;

namespace Rostrum.Web.Build;

/// <summary>What the workspace has: apps and sources.</summary>
internal sealed class IndexModel(
    RostrumStore store,
    Drafts drafts,
    WorkspaceCache workspaces,
    SourceSecrets secrets,
    SourceServices services,
    CurrentPerson person,
    RecordFormat format
) : PageModel
{
    public ImmutableArray<AppDraft> Apps { get; private set; } = [];

    public ImmutableArray<StoredSource> Sources { get; private set; } = [];

    /// <summary>Everything in Build is open to the person, and not only some apps.</summary>
    public bool BuildsAll { get; private set; }

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        var only = await person.BuildsOnlyAsync(cancellation);
        BuildsAll = only is null;
        Apps =
        [
            .. (await drafts.AllAsync(store, cancellation))
                .Where(app => only is null || only.Contains(app.Id))
                .OrderBy(app => app.Draft.Name, StringComparer.CurrentCultureIgnoreCase),
        ];
        if (!BuildsAll)
        {
            return;
        }

        Sources = [.. await store.Sources.AsNoTracking().OrderBy(source => source.Name).ToListAsync(cancellation)];
    }

    /// <summary>Whether one of the sources answers: asked for by itself, so that one which is slow holds up nothing else.</summary>
    public async Task<IActionResult> OnGetHealthAsync(Guid source, CancellationToken cancellation) =>
        await person.BuildsOnlyAsync(cancellation) is null
        && await store.Sources.AsNoTracking().FirstOrDefaultAsync(stored => stored.Id == source, cancellation) is { } found
            ? Partial(
                "/Build/_Health.cshtml",
                new SourceHealth(
                    await SourceConnector.AskAsync(
                        secrets.Settings(SourceEntry.Of(found), (await workspaces.GetAsync(cancellation)).Secrets),
                        cancellation,
                        services
                    ),
                    found.FailedAt is { } at ? format.Display(new FieldType.Instant(), at) : null,
                    found.Failure
                )
            )
            : NotFound();
}

/// <summary>How a source is.</summary>
/// <param name="Now">Why it does not answer; null where it does.</param>
/// <param name="FailedAt">When it could not do last what it was asked; null where it always could.</param>
/// <param name="Failure">What was said of that.</param>
internal sealed record SourceHealth(SourceFailure? Now, string? FailedAt, string? Failure);
