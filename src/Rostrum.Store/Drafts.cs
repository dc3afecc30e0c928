using System.Collections.Concurrent;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;

namespace Rostrum.Store;

/// <summary>Finds drafts. One that was read, or came of an edit here, is kept for as long as its revision is the newest: what an edit leaves as it was is the same object still, and what was found out about it holds.</summary>
public sealed class Drafts
{
    private readonly ConcurrentDictionary<Guid, (int Revision, AppDefinition Draft)> _known = new();

    /// <summary>An app by its address, not tracked; null where there is none.</summary>
    public async Task<StoredApp?> FindAsync(RostrumStore store, string address, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(store);
        var head = await store.Apps.AsNoTracking().Where(app => app.Address == address).Select(app => new { app.Id, app.Revision, app.LiveVersion }).FirstOrDefaultAsync(cancellation);
        if (head is null)
        {
            return null;
        }

        if (_known.TryGetValue(head.Id, out var known) && known.Revision == head.Revision)
        {
            return new StoredApp { Id = head.Id, Address = address, Draft = known.Draft, Revision = head.Revision, LiveVersion = head.LiveVersion };
        }

        var app = await store.Apps.AsNoTracking().FirstOrDefaultAsync(app => app.Address == address, cancellation);
        if (app is not null)
        {
            Remember(app);
        }

        return app;
    }

    /// <summary>Keeps a draft that was just read or written.</summary>
    public void Remember(StoredApp app)
    {
        ArgumentNullException.ThrowIfNull(app);
        _known.AddOrUpdate(app.Id, (app.Revision, app.Draft), (_, known) => known.Revision > app.Revision ? known : (app.Revision, app.Draft));
    }
}
