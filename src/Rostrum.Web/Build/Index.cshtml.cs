using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;
using Rostrum.Web.Build.Sources;

namespace Rostrum.Web.Build;

/// <summary>What the workspace has: apps and sources.</summary>
internal sealed class IndexModel(
    RostrumStore store,
    Drafts drafts,
    WorkspaceCache workspaces,
    SourceSecrets secrets,
    SourceServices services,
    RecordFormat format
) : PageModel
{
    public ImmutableArray<AppDraft> Apps { get; private set; } = [];

    public ImmutableArray<StoredSource> Sources { get; private set; } = [];

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        Apps = [.. (await drafts.AllAsync(store, cancellation)).OrderBy(app => app.Draft.Name, StringComparer.CurrentCultureIgnoreCase)];
        Sources = [.. await store.Sources.AsNoTracking().OrderBy(source => source.Name).ToListAsync(cancellation)];
    }

    /// <summary>Whether one of the sources answers: asked for by itself, so that one which is slow holds up nothing else.</summary>
    public async Task<IActionResult> OnGetHealthAsync(Guid source, CancellationToken cancellation) =>
        await store.Sources.AsNoTracking().FirstOrDefaultAsync(stored => stored.Id == source, cancellation) is { } found
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
