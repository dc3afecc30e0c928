using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Caching.Memory;

namespace Rostrum.Store;

/// <summary>
/// Opens and ends people's sessions, and knows at every request whether one is open. What was read is kept for a few seconds at most, and
/// no longer than until a node says that it changed the workspace; ending a session is such a change.
/// </summary>
public sealed class OpenSessions(IDbContextFactory<RostrumStore> stores, WorkspaceRevision revision, IMemoryCache cache, TimeProvider time)
{
    /// <summary>After so long people sign in anew in any case.</summary>
    public static readonly TimeSpan Longest = TimeSpan.FromDays(30);

    private static readonly TimeSpan AttemptsAreKept = TimeSpan.FromDays(90);
    private static readonly TimeSpan SafetyNet = TimeSpan.FromSeconds(10);

    /// <summary>Begins a session. What is past its time is removed on the way.</summary>
    public async Task<SignInSession> OpenAsync(Guid person, CancellationToken cancellation)
    {
        var now = time.GetUtcNow();
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await store.SignInSessions.Where(session => session.Ends < now).ExecuteDeleteAsync(cancellation);
        await store.SignInAttempts.Where(attempt => attempt.At < now - AttemptsAreKept).ExecuteDeleteAsync(cancellation);
        var opened = new SignInSession
        {
            Id = Guid.NewGuid(),
            PersonId = person,
            Started = now,
            Ends = now + Longest,
        };
        store.SignInSessions.Add(opened);
        await store.SaveChangesAsync(cancellation);
        return opened;
    }

    /// <summary>Ends a session at every node; one that has ended already stays so.</summary>
    public async Task EndAsync(Guid session, CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await store.SaveOnNewestAsync(
            async () =>
            {
                if (await store.SignInSessions.FindAsync([session], cancellation) is { } open)
                {
                    store.SignInSessions.Remove(open);
                }
            },
            cancellation
        );
    }

    /// <summary>Whether the session is open, and that person's.</summary>
    public async ValueTask<bool> IsOpenAsync(Guid session, Guid person, CancellationToken cancellation)
    {
        var open = await cache.GetOrCreateAsync((nameof(OpenSessions), session, revision.Number), async entry =>
        {
            entry.AbsoluteExpirationRelativeToNow = SafetyNet;
            await using var store = await stores.CreateDbContextAsync(cancellation);
            return await store.SignInSessions.AsNoTracking().SingleOrDefaultAsync(row => row.Id == session, cancellation);
        });
        return open is not null && open.PersonId == person && open.Ends > time.GetUtcNow();
    }
}
