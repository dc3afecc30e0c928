using System.Collections.Concurrent;
using Microsoft.EntityFrameworkCore;
using Rostrum.Store;

namespace Rostrum.Web.Live;

/// <summary>Writes down when a person last opened an app: once in a while, and not for each page.</summary>
internal sealed class AppOpenings(TimeProvider clock)
{
    private static readonly TimeSpan Between = TimeSpan.FromMinutes(10);
    private const int MostKnown = 10_000;

    private readonly ConcurrentDictionary<(Guid Person, string App), DateTimeOffset> _written = new();

    public async Task OpenedAsync(RostrumStore store, Guid person, string app, CancellationToken cancellation)
    {
        var now = clock.GetUtcNow();
        if (_written.TryGetValue((person, app), out var last) && now - last < Between)
        {
            return;
        }

        if (_written.Count >= MostKnown)
        {
            _written.Clear();
        }

        _written[(person, app)] = now;
        await store.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO app_openings (person_id, app, at) VALUES ({person}, {app}, {now})
            ON CONFLICT (person_id, app) DO UPDATE SET at = greatest(app_openings.at, excluded.at)
            """,
            cancellation
        );
    }
}
