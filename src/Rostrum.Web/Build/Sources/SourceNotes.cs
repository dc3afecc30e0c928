using System.Collections.Concurrent;
using System.Data.Common;
using Microsoft.EntityFrameworkCore;
using Rostrum.Core.Datasets;
using Rostrum.Sources;
using Rostrum.Store;

namespace Rostrum.Web.Build.Sources;

/// <summary>
/// Writes down how sources failed last, and when, where and by whom secrets were used; not each time, but now and then while it goes on.
/// Nobody waits for it.
/// </summary>
internal sealed partial class SourceNotes(
    IDbContextFactory<RostrumStore> stores,
    IActor actor,
    WorkspaceCache workspaces,
    TimeProvider clock,
    ILogger<SourceNotes> log
)
{
    private static readonly TimeSpan BetweenUses = TimeSpan.FromMinutes(1);
    private static readonly TimeSpan BetweenSaid = TimeSpan.FromDays(1);
    private static readonly TimeSpan BetweenFailures = TimeSpan.FromSeconds(5);
    private readonly ConcurrentDictionary<string, DateTimeOffset> _noted = new(StringComparer.Ordinal);

    /// <summary>A source is about to be asked something with some secrets.</summary>
    public void Used(string source, SecretValues secrets)
    {
        var now = clock.GetUtcNow();
        var person = actor.Id;
        string[] due = [.. secrets.Names.Where(name => IsDue($"secret {name} {source} {person}", now, BetweenUses))];
        if (due.Length == 0)
        {
            return;
        }

        _ = WriteAsync(async store =>
        {
            var people = (await workspaces.GetAsync(CancellationToken.None)).People;
            var by = person is { } id && people.TryGetValue(id, out var entry) ? entry.Name : "";
            await store
                .Secrets.Where(secret => due.Contains(secret.Name) && (secret.UsedAt == null || secret.UsedAt < now))
                .ExecuteUpdateAsync(row =>
                    row.SetProperty(secret => secret.UsedAt, now)
                        .SetProperty(secret => secret.UsedBy, by)
                        .SetProperty(secret => secret.UsedIn, source)
                );
            await AuditAsync(store, due, source, person, by, now);
        });
    }

    // What a source asks for of its own accord, like a token, it asks for again and again: once a day is said for each person.
    private static async Task AuditAsync(RostrumStore store, string[] secrets, string source, Guid? person, string by, DateTimeOffset now)
    {
        var (said, since) = ($"Used in {source}.", now - BetweenSaid);
        var known = await store
            .AuditEntries.Where(entry => entry.Kind == AuditKind.SecretUses && entry.PersonId == person && entry.At > since)
            .Where(entry => secrets.Contains(entry.Subject) && entry.Text == said)
            .Select(entry => entry.Subject)
            .ToListAsync();
        store.AuditEntries.AddRange(
            secrets
                .Except(known)
                .Select(secret => new AuditEntry
                {
                    At = now,
                    PersonId = person,
                    PersonName = by.Length > 0 ? by : "in the background",
                    Kind = AuditKind.SecretUses,
                    Subject = secret,
                    Text = said,
                    Detail = "Uses within a day of it are not said again.",
                })
        );
        await store.SaveChangesAsync();
    }

    /// <summary>A source could not do what it was asked.</summary>
    public void Failed(SourceId source, SourceFailure failure)
    {
        var now = clock.GetUtcNow();
        if (IsDue($"failure {source}", now, BetweenFailures))
        {
            _ = WriteAsync(store =>
                store
                    .Sources.Where(stored => stored.Id == source.Value && (stored.FailedAt == null || stored.FailedAt < now))
                    .ExecuteUpdateAsync(row =>
                        row.SetProperty(stored => stored.FailedAt, now).SetProperty(stored => stored.Failure, failure.Message)
                    )
            );
        }
    }

    private bool IsDue(string what, DateTimeOffset now, TimeSpan between)
    {
        var before = _noted.GetOrAdd(what, DateTimeOffset.MinValue);
        return now - before >= between && _noted.TryUpdate(what, now, before);
    }

    private async Task WriteAsync(Func<RostrumStore, Task> write)
    {
        try
        {
            await using var store = await stores.CreateDbContextAsync();
            await write(store);
        }
        catch (Exception exception) when (exception is DbException or DbUpdateException or InvalidOperationException)
        {
            NotWritten(exception);
        }
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "What became of a source could not be written down.")]
    private partial void NotWritten(Exception exception);
}
