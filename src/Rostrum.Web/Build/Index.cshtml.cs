using System.Collections.Immutable;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Build;

/// <summary>What the workspace has: apps and sources.</summary>
internal sealed class IndexModel(RostrumStore store, Drafts drafts) : PageModel
{
    public ImmutableArray<AppDraft> Apps { get; private set; } = [];

    public ImmutableArray<StoredSource> Sources { get; private set; } = [];

    public async Task OnGetAsync(CancellationToken cancellation)
    {
        Apps = [.. (await drafts.AllAsync(store, cancellation)).OrderBy(app => app.Draft.Name, StringComparer.CurrentCultureIgnoreCase)];
        Sources = [.. await store.Sources.AsNoTracking().OrderBy(source => source.Name).ToListAsync(cancellation)];
    }
}
