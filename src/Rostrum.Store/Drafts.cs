using System.Collections.Concurrent;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Apps;

namespace Rostrum.Store;

/// <summary>An app's draft at one revision, and which of its versions is live.</summary>
public sealed record AppDraft(Guid Id, string Address, AppDefinition Draft, int Revision, int? LiveVersion);

/// <summary>Finds and writes drafts. A page is a row of its own, so that an edit writes no more than what it changed.</summary>
/// <remarks>A draft that was read, or came of an edit here, is kept for as long as its revision is the newest: what an edit leaves as it
/// was is the same object still, and what was found out about it holds.</remarks>
public sealed class Drafts
{
    private readonly ConcurrentDictionary<Guid, AppDraft> _known = new();

    /// <summary>A draft by its app's address; null where there is none.</summary>
    public async Task<AppDraft?> FindAsync(RostrumStore store, string address, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(store);
        var head = await store
            .Apps.AsNoTracking()
            .Where(app => app.Address == address)
            .Select(app => new
            {
                app.Id,
                app.Revision,
                app.LiveVersion,
            })
            .FirstOrDefaultAsync(cancellation);
        return head is null ? null
            : _known.TryGetValue(head.Id, out var known) && known.Revision == head.Revision ? known with { LiveVersion = head.LiveVersion }
            : await ReadAsync(store, head.Id, cancellation);
    }

    /// <summary>The drafts of all apps, in the order of their names.</summary>
    public async Task<IReadOnlyList<AppDraft>> AllAsync(RostrumStore store, CancellationToken cancellation)
    {
        ArgumentNullException.ThrowIfNull(store);
        var drafts = new List<AppDraft>();
        foreach (
            var address in await store.Apps.AsNoTracking().OrderBy(app => app.Name).Select(app => app.Address).ToListAsync(cancellation)
        )
        {
            if (await FindAsync(store, address, cancellation) is { } draft)
            {
                drafts.Add(draft);
            }
        }

        return drafts;
    }

    /// <summary>Puts a new app's draft among what is saved next.</summary>
    public static void Add(RostrumStore store, string address, AppDefinition draft)
    {
        ArgumentNullException.ThrowIfNull(store);
        ArgumentNullException.ThrowIfNull(draft);
        var app = new StoredApp
        {
            Id = Guid.NewGuid(),
            Address = address,
            Name = draft.Name,
            Head = AppHead.Of(draft),
            Revision = 1,
        };
        store.Apps.Add(app);
        store.DraftPages.AddRange(
            draft.Pages.Select(page => new StoredDraftPage
            {
                AppId = app.Id,
                Address = page.Address,
                Document = page,
            })
        );
    }

    /// <summary>
    /// Puts a draft that takes another's place among what is saved next: the head, and those pages that are not the same objects.
    /// </summary>
    /// <exception cref="DbUpdateConcurrencyException">When it is saved: somebody else has written the draft since.</exception>
    public static AppDraft Replace(RostrumStore store, AppDraft before, AppDefinition draft)
    {
        ArgumentNullException.ThrowIfNull(store);
        ArgumentNullException.ThrowIfNull(before);
        ArgumentNullException.ThrowIfNull(draft);
        var after = before with { Draft = draft, Revision = before.Revision + 1 };
        var head = store.Attach(
            new StoredApp
            {
                Id = before.Id,
                Address = before.Address,
                Name = before.Draft.Name,
                Head = AppHead.Of(before.Draft),
                Revision = before.Revision,
                LiveVersion = before.LiveVersion,
            }
        );
        (head.Entity.Name, head.Entity.Head, head.Entity.Revision) = (draft.Name, AppHead.Of(draft), after.Revision);
        head.DetectChanges();

        var old = before.Draft.Pages.ToDictionary(page => page.Address);
        foreach (var page in draft.Pages.Where(page => !ReferenceEquals(old.GetValueOrDefault(page.Address), page)))
        {
            store
                .Entry(
                    new StoredDraftPage
                    {
                        AppId = before.Id,
                        Address = page.Address,
                        Document = page,
                    }
                )
                .State = old.ContainsKey(page.Address) ? EntityState.Modified : EntityState.Added;
        }

        foreach (var gone in old.Values.Where(page => draft.Find(page.Address) is null))
        {
            store
                .Entry(
                    new StoredDraftPage
                    {
                        AppId = before.Id,
                        Address = gone.Address,
                        Document = gone,
                    }
                )
                .State = EntityState.Deleted;
        }

        return after;
    }

    /// <summary>Keeps a draft that was just read or written.</summary>
    public void Remember(AppDraft draft)
    {
        ArgumentNullException.ThrowIfNull(draft);
        _known.AddOrUpdate(draft.Id, draft, (_, known) => known.Revision > draft.Revision ? known : draft);
    }

    // One statement, so that head and pages are of one moment.
    private async Task<AppDraft?> ReadAsync(RostrumStore store, Guid id, CancellationToken cancellation)
    {
        var read = await store
            .Apps.AsNoTracking()
            .Where(app => app.Id == id)
            .Select(app => new { App = app, Pages = store.DraftPages.Where(page => page.AppId == app.Id).ToList() })
            .FirstOrDefaultAsync(cancellation);
        if (read is not { App: var app })
        {
            return null;
        }

        var pages = read.Pages.ToDictionary(page => page.Address, page => page.Document);
        var draft = new AppDraft(app.Id, app.Address, app.Head.With(app.Name, pages), app.Revision, app.LiveVersion);
        Remember(draft);
        return draft;
    }
}
