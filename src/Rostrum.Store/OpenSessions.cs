using System.Linq.Expressions;
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
    private static readonly TimeSpan UseIsNoted = TimeSpan.FromMinutes(5);
    private const int MostOfDevice = 300;
    private static readonly TimeSpan SafetyNet = TimeSpan.FromSeconds(10);

    /// <summary>Begins a session. What is past its time is removed on the way.</summary>
    /// <param name="person">Who signs in.</param>
    /// <param name="device">What the browser says of itself.</param>
    /// <param name="address">Where it is.</param>
    /// <param name="cancellation">Ends the wait.</param>
    public async Task<SignInSession> OpenAsync(Guid person, string device, string? address, CancellationToken cancellation)
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
            LastUsed = now,
            Device = device.Length > MostOfDevice ? device[..MostOfDevice] : device,
            RemoteAddress = address,
        };
        store.SignInSessions.Add(opened);
        await store.SaveChangesAsync(cancellation);
        return opened;
    }

    /// <summary>Ends a session at every node; one that has ended already stays so.</summary>
    public Task EndAsync(Guid session, CancellationToken cancellation) => EndAsync(row => row.Id == session, cancellation);

    /// <summary>Ends all of a person's sessions at every node, but for one that stays.</summary>
    public Task EndAllAsync(Guid person, Guid? but, CancellationToken cancellation) =>
        EndAsync(row => row.PersonId == person && row.Id != but, cancellation);

    private async Task EndAsync(Expression<Func<SignInSession, bool>> which, CancellationToken cancellation)
    {
        await using var store = await stores.CreateDbContextAsync(cancellation);
        await store.SaveOnNewestAsync(
            async () => store.SignInSessions.RemoveRange(await store.SignInSessions.Where(which).ToListAsync(cancellation)),
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
            var row = await store.SignInSessions.AsNoTracking().SingleOrDefaultAsync(row => row.Id == session, cancellation);
            var now = time.GetUtcNow();
            if (row is not null && now - row.LastUsed > UseIsNoted)
            {
                await store
                    .SignInSessions.Where(known => known.Id == session)
                    .ExecuteUpdateAsync(set => set.SetProperty(known => known.LastUsed, now), cancellation);
            }

            return row;
        });
        return open is not null && open.PersonId == person && open.Ends > time.GetUtcNow();
    }
}
